import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { written } from "../kit/database/mariadb/timestamps.ts";
import type { ColumnType } from "../src/core/fields/storage.ts";
import { alwaysConverts } from "../src/core/sql/conversions.ts";
import type { Dialect } from "../src/core/sql/dialect.ts";
import { typeSql as mariadbType } from "../src/core/sql/mariadb/columns.ts";
import { converted as mariadbConverted } from "../src/core/sql/mariadb/conversions.ts";
import { typeSql as postgresType } from "../src/core/sql/postgres/columns.ts";
import { converted as postgresConverted } from "../src/core/sql/postgres/conversions.ts";
import { typeSql as sqliteType } from "../src/core/sql/sqlite/columns.ts";
import { converted as sqliteConverted } from "../src/core/sql/sqlite/conversions.ts";
import type { Engine } from "../src/io/engines/engine.ts";
import { openSqlite } from "../src/io/engines/sqlite/engine.ts";
import { answers, emptyDatabase, mariadb, postgres } from "./support/servers.ts";

const text: ColumnType = { kind: "text", max: 40 };
const short: ColumnType = { kind: "text", max: 3 };
const long: ColumnType = { kind: "long text" };
const integer: ColumnType = { kind: "integer" };
const decimal: ColumnType = { kind: "decimal", places: 2 };
const fine: ColumnType = { kind: "decimal", places: 3 };
const finer: ColumnType = { kind: "decimal", places: 4 };
const coarse: ColumnType = { kind: "decimal", places: 0 };
const boolean: ColumnType = { kind: "boolean" };
const date: ColumnType = { kind: "date" };
const time: ColumnType = { kind: "time" };
const datetime: ColumnType = { kind: "datetime" };

type Value = string | number | boolean | null;

/** A value, its type, another type, and what it becomes there: exactly, and where something may be lost; by a time zone. */
const cases: [Value, ColumnType, ColumnType, Value, Value?, string?][] = [
  ["7", text, integer, 7],
  [" 7 ", text, integer, 7],
  ["007", text, integer, 7],
  ["+5", text, integer, 5],
  ["-3", long, integer, -3],
  ["7.0", text, integer, 7],
  ["7.5", text, integer, null],
  ["1e3", text, integer, null],
  ["0x10", text, integer, null],
  ["", text, integer, null],
  ["seven", text, integer, null],
  ["9999999999999999", text, integer, null],
  ["12.50", text, decimal, 12.5],
  ["-0.05", text, decimal, -0.05],
  ["12.346", text, decimal, null, 12.35],
  ["1,5", text, decimal, null],
  ["1.2.3", text, decimal, null],
  ["12.5", text, coarse, null, 13],
  ["yes", text, boolean, true],
  [" No ", text, boolean, false],
  ["TRUE", text, boolean, true],
  ["1", text, boolean, true],
  ["maybe", text, boolean, null],
  ["2024-02-29", text, date, "2024-02-29"],
  ["2023-02-29", text, date, null],
  ["2024-04-31", text, date, null],
  ["2024-2-9", text, date, null],
  ["today", text, date, null],
  ["2024-02-29T10:00:00Z", text, date, null],
  ["09:30", text, time, "09:30"],
  ["24:00", text, time, null],
  ["9:30", text, time, null],
  ["2026-05-03T07:00:00Z", text, datetime, "2026-05-03T07:00:00Z"],
  ["2026-05-03", text, datetime, null],
  ["2026-13-03T07:00:00Z", text, datetime, null],
  ["abcdef", text, short, null, "abc"],
  ["🐝🐝🐝🐝", text, short, null, "🐝🐝🐝"],
  ["abc", long, short, "abc"],
  ["abc", short, text, "abc"],
  [5, integer, text, "5"],
  [-12_345, integer, short, null, "-12"],
  [5, integer, decimal, 5],
  [1, integer, boolean, true],
  [0, integer, boolean, false],
  [2, integer, boolean, null],
  [5, integer, date, null],
  [12.5, decimal, text, "12.5"],
  [12, decimal, text, "12"],
  [0.05, decimal, long, "0.05"],
  [-100, decimal, text, "-100"],
  [12.5, decimal, integer, null, 13],
  [12, decimal, integer, 12],
  [1, decimal, boolean, true],
  [12.5, decimal, coarse, null, 13],
  [12, coarse, decimal, 12],
  [true, boolean, text, "yes"],
  [false, boolean, long, "no"],
  [true, boolean, integer, 1],
  [false, boolean, decimal, 0],
  [true, boolean, date, null],
  ["2026-05-03", date, text, "2026-05-03"],
  ["2026-05-03", date, datetime, "2026-05-03T00:00:00Z"],
  ["2026-05-03", date, time, null],
  ["07:30", time, text, "07:30"],
  ["07:30", time, datetime, null],
  ["2026-05-03T07:30:00Z", datetime, text, "2026-05-03T07:30:00Z"],
  ["2026-05-03T07:30:00Z", datetime, date, null, "2026-05-03"],
  ["2026-05-03T00:00:01Z", datetime, date, null, "2026-05-03"],
  ["2026-05-03T00:00:00Z", datetime, date, "2026-05-03"],
  ["2026-05-03T07:30:00Z", datetime, time, null, "07:30"],
  [1.005, fine, decimal, null, 1.01],
  [-1.005, fine, decimal, null, -1.01],
  [2.675, fine, decimal, null, 2.68],
  [0.125, fine, decimal, null, 0.13],
  [1.01, fine, decimal, 1.01],
  [601_017.4865, finer, fine, null, 601_017.487],
  ["1.005", text, decimal, null, 1.01],
  ["2026-03-10", date, datetime, "2026-03-10T04:00:00Z", undefined, "America/New_York"],
  ["2026-03-07", date, datetime, "2026-03-07T05:00:00Z", undefined, "America/New_York"],
  ["2026-03-10T04:00:00Z", datetime, date, "2026-03-10", undefined, "America/New_York"],
  ["2026-03-10T03:30:00Z", datetime, date, null, "2026-03-09", "America/New_York"],
  ["2026-01-10T12:30:00Z", datetime, time, null, "07:30", "America/New_York"],
  ["2026-10-25T00:30:00Z", datetime, time, null, "02:30", "Europe/Madrid"],
  ["2026-10-25T01:30:00Z", datetime, time, null, "02:30", "Europe/Madrid"],
  ["2026-05-03", date, datetime, "2026-05-02T10:00:00Z", undefined, "Pacific/Kiritimati"],
  ["2026-05-02T10:00:00Z", datetime, date, "2026-05-03", undefined, "Pacific/Kiritimati"],
  ["1975-07-01", date, datetime, "1975-06-30T18:30:00Z", undefined, "Asia/Kolkata"],
  [null, text, integer, null],
  [null, decimal, text, null],
  [null, boolean, text, null],
];

const words = (type: ColumnType) =>
  type.kind === "text"
    ? `text of ${type.max}`
    : "places" in type
      ? `decimal of ${type.places}`
      : type.kind;
const named = cases.map(
  ([value, from, to, exact, lossy, zone = "UTC"]) =>
    [
      JSON.stringify(value),
      words(from),
      words(to),
      { value, from, to, exact, lossy: lossy ?? exact, zone },
    ] as const,
);

interface Database {
  engine: Engine;
  typeSql(type: ColumnType): string;
  converted(value: string, from: ColumnType, to: ColumnType, lossy: boolean, zone: string): string;
}

/** What becomes of a value, computed by the database on a column of the type. */
async function become(
  { engine, typeSql, converted }: Database,
  { value, from, to, zone }: { value: Value; from: ColumnType; to: ColumnType; zone: string },
  lossy: boolean,
): Promise<unknown> {
  const { quoted } = engine.dialect as Dialect;
  await engine.migrations.run(
    `create table tried (id integer, x ${typeSql(from)}, y ${typeSql(to)})`,
  );
  try {
    const { name } = engine.dialect;
    const moment = name === "mariadb" && from.kind === "datetime";
    const bound = typeof value === "boolean" && name === "sqlite" ? Number(value) : value;
    await engine.migrations.rows("insert into tried (id, x) values (1, ?)", [
      moment ? written(bound) : bound,
    ]);
    await engine.migrations.run(
      `update tried set y = ${converted(quoted("x"), from, to, lossy, zone)}`,
    );
    const [row] = await engine.migrations.rows<{ y: unknown }>("select y from tried");
    const y = row?.y;
    return to.kind === "boolean" && typeof y === "number" ? y === 1 : y;
  } finally {
    await engine.migrations.run("drop table tried");
  }
}

describe("a value that moves to a column of another type, on SQLite", () => {
  let database: Database;
  beforeAll(() => {
    database = { engine: openSqlite(":memory:"), typeSql: sqliteType, converted: sqliteConverted };
  });
  afterAll(() => database.engine.close());

  it.each(named)("%s, %s, becomes %s", async (_value, _from, _to, each) => {
    expect(await become(database, each, false)).toEqual(each.exact);
    expect(await become(database, each, true)).toEqual(each.lossy);
  });
});

const servers = [
  { ...postgres, typeSql: postgresType, converted: postgresConverted },
  { ...mariadb, typeSql: mariadbType, converted: mariadbConverted },
];

describe.each(servers)(
  "a value that moves to a column of another type, on $kind",
  async (server) => {
    const there = await answers(server);

    it.skipIf(!there)("becomes the same as on SQLite", async () => {
      const engine = await emptyDatabase(server);
      const { typeSql, converted } = server;
      if (server.kind === "postgres") {
        await engine.migrations.run(
          "create collation levadura_text (provider = icu, locale = 'und-u-ks-level2', deterministic = false)",
        );
      }
      for (const [, , , each] of named) {
        const context = JSON.stringify(each);
        const database = { engine, typeSql, converted };
        expect(await become(database, each, false), context).toEqual(each.exact);
        expect(await become(database, each, true), context).toEqual(each.lossy);
      }
    });
  },
);

describe("whether every value of a type converts", () => {
  it("is only said where each of the examples does", () => {
    for (const [value, from, to, exact] of cases) {
      if (value !== null && exact === null) {
        expect([words(from), words(to), alwaysConverts(from, to)]).toEqual([
          words(from),
          words(to),
          false,
        ]);
      }
    }
    expect(alwaysConverts(integer, text)).toBe(true);
    expect(alwaysConverts(short, text)).toBe(true);
    expect(alwaysConverts(decimal, { kind: "decimal", places: 3 })).toBe(true);
  });
});
