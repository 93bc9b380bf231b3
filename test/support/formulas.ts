import { join } from "node:path";
import { type Kysely, sql } from "kysely";
import { expect } from "vitest";
import * as onMariadb from "../../kit/database/mariadb/tables.ts";
import * as onPostgres from "../../kit/database/postgres/tables.ts";
import * as onSqlite from "../../kit/database/sqlite/tables.ts";
import { type Calculation, looksAtLists } from "../../kit/formula/calculation.ts";
import { evaluation, type Row, type Surroundings } from "../../kit/formula/evaluate.ts";
import type { ColumnOf } from "../../kit/formula/sql.ts";
import type { ValueType } from "../../kit/formula/value-type.ts";
import { bindKind } from "../../src/core/appgen/formulas.ts";
import { compiledBefore } from "../../src/core/formula/compile.ts";
import { formulaOf } from "../../src/core/formula/scope.ts";
import { momentsIn, nameIn, readFormulaSql } from "../../src/core/formula/sql.ts";
import { type DatabaseKind, entityNamed, type Model } from "../../src/core/model/model.ts";
import { readModel } from "../../src/core/model/read.ts";
import { schemaOf } from "../../src/core/schema/from-model.ts";
import type { Engine } from "../../src/io/engines/engine.ts";
import { openSqlite } from "../../src/io/engines/sqlite/engine.ts";
import { Chance } from "./pairs.ts";
import { temporaryFolder } from "./program.ts";
import { administrator, databaseOfOnesOwn, mariadb, postgres } from "./servers.ts";

const { model } = readModel(`levadura: 1
entities:
  Apiary:
    fields: {name: text, opened: date, elevation: integer -100..4000, share: percent, sunny: boolean, high: "= elevation > 10"}
  Keeper:
    fields: {nick: text, joined: date}
  Hive:
    fields:
      code: text
      notes: long text
      kind: choice wood | straw
      apiary: one Apiary
      keepers: many Keeper
      weight: decimal
      price: money
      frames: integer 0..40
      count: integer
      active: boolean
      installed: date
      seen: datetime
      hour: time
      lasted: duration
      value: "= weight * price"
      least: "= smallest(harvests.took)"
      label: "= code & ' ' & frames"
      total: "= sum(harvests.amount)"
  Harvest:
    fields: {hive: "one Hive, required", amount: "decimal, places 1", taken: date, took: duration, grade: text, worth: "= amount * hive.price"}
`);
export const formulaModel: Model = model ?? expect.fail("a model with errors");

const letters = [..."aábAÁ ñÑ üÜ ø jж αА 09-zZ"];
const words = ["wood", "Wood", "straw", "álamo", "ÁLAMO", "alamo", "a", "Ñu 7", "15"];

function anyText(chance: Chance): string | null {
  if (chance.happens(20)) return null;
  if (chance.happens(50)) return chance.of(words);
  return (
    Array.from({ length: 1 + chance.below(6) }, () => chance.of(letters))
      .join("")
      .trim() || null
  );
}

const number = (chance: Chance, places: number, most: number) =>
  chance.happens(20)
    ? null
    : chance.happens(15)
      ? 0
      : Math.round(
          (chance.below(2_000_001) / 1_000_000 - 1) *
            (chance.happens(50) ? most : 50) *
            10 ** places,
        ) /
          10 ** places +
        0;

const two = (value: number) => String(value).padStart(2, "0");
const day = (chance: Chance) =>
  chance.happens(15)
    ? null
    : chance.happens(8)
      ? chance.of(["0001-01-01", "9999-12-31", "2024-02-29"])
      : `${2018 + chance.below(10)}-${two(1 + chance.below(12))}-${two(1 + chance.below(28))}`;
const hour = (chance: Chance) => `${two(chance.below(24))}:${two(chance.below(60))}`;
const moment = (chance: Chance) => {
  const date = day(chance);
  return date && date > "1000" && date < "9000"
    ? `${date}T${hour(chance)}:${two(chance.below(60))}Z`
    : null;
};

type Tables = Record<string, Row[]>;

/** Rows for the tables of the model. */
function rowsOf(chance: Chance): Tables {
  const stamp = {
    version: 1,
    created_at: "2026-01-01T00:00:00Z",
    updated_at: "2026-01-02T03:04:05Z",
  };
  const many = (count: number, make: () => Row): Row[] =>
    Array.from({ length: count }, (_, at) => ({ id: at + 1, ...make(), ...stamp }));
  return {
    apiary: many(4, () => ({
      name: anyText(chance),
      opened: day(chance),
      elevation: number(chance, 0, 100),
      share: number(chance, 2, 100),
      sunny: chance.happens(50),
    })),
    keeper: many(4, () => ({ nick: anyText(chance), joined: day(chance) })),
    hive: many(8, () => ({
      code: anyText(chance),
      notes: anyText(chance),
      kind: chance.of([null, "wood", "straw"]),
      apiary_id: chance.happens(25) ? null : 1 + chance.below(4),
      weight: number(chance, 2, 1e6),
      price: number(chance, 2, 1e9),
      frames: chance.happens(20) ? null : chance.below(41),
      count: number(chance, 0, 9e15),
      active: chance.happens(50),
      installed: day(chance),
      seen: moment(chance),
      hour: chance.happens(20) ? null : hour(chance),
      lasted: number(chance, 3, 1e6),
    })),
    harvest: many(14, () => ({
      hive_id: 1 + chance.below(6),
      amount: number(chance, 1, 1e4),
      taken: day(chance),
      took: number(chance, 3, 1e6),
      grade: anyText(chance),
    })),
    hive_keepers: Array.from({ length: 8 }, (_, at) => ({
      hive_id: 1 + at,
      keeper_id: 1 + chance.below(4),
    })),
  };
}

/** What can be named in a formula of a hive, by its type. */
const names: Readonly<Record<ValueType, readonly string[]>> = {
  number: [
    "weight",
    "price",
    "frames",
    "count",
    "apiary.elevation",
    "apiary.share",
    "value",
    "total",
    "id",
  ],
  text: ["code", "notes", "kind", "apiary.name", "label"],
  boolean: ["active", "apiary.sunny", "apiary.high"],
  date: ["installed", "apiary.opened", "today", "date(2024, 2, 29)"],
  time: ["hour"],
  moment: ["seen", "updated_at", "now"],
  duration: ["lasted", "least"],
  span: ["(installed - apiary.opened)", "90 days", "2 weeks"],
};

const lettersOnly = ["code", "notes", "kind", "apiary.name", "'álamo'", "'Wood'"];

/** A random formula of a type, with operators and functions down to a depth. */
export function randomFormula(chance: Chance, type: ValueType, depth: number): string {
  const of = (other: ValueType) => randomFormula(chance, other, depth - 1);
  const any = (): ValueType =>
    chance.of(["number", "text", "date", "time", "moment", "boolean", "duration"]);
  if (depth <= 0 || chance.happens(15)) return leaf(chance, type);
  if (chance.happens(12)) return `if(${of("boolean")}, ${of(type)}, ${of(type)})`;
  switch (type) {
    case "number":
      return chance.of<() => string>([
        () => `(${of("number")} ${chance.of(["+", "-", "*", "/", "%"])} ${of("number")})`,
        () => `(${of("number")} ${chance.of(["+", "*", "/"])} ${of("number")})`,
        () => `round(${of("number")}, ${chance.below(4)})`,
        () => `${chance.of(["abs", "round"])}(${of("number")})`,
        () => `-(${of("number")})`,
        () => `${chance.of(["min", "max"])}(${of("number")}, ${of("number")}, ${of("number")})`,
        () => `length(${of("text")})`,
        () => `${chance.of(["year", "month", "day"])}(${of(chance.of(["date", "moment"]))})`,
        () => `days(${of("date")}, ${of("date")})`,
        () => `${chance.of(["hours", "minutes", "seconds"])}(${of("duration")})`,
        () => `(${of("duration")} / ${of("duration")})`,
        () =>
          `${chance.of(["sum", "average", "smallest", "largest"])}(harvests.${chance.of(["amount", "worth"])}${asked(chance, depth)})`,
        () => `count(${chance.happens(70) ? `harvests${asked(chance, depth)}` : "keepers"})`,
      ])();
    case "text":
      return chance.of<() => string>([
        () =>
          `(${of("text")} & ${of(chance.of(["text", "number", "date", "time", "moment", "span"]))})`,
        () => `${chance.of(["lower", "upper"])}(${of("text")})`,
      ])();
    case "boolean":
      return chance.of<() => string>([
        () => {
          const compared = any();
          return `(${of(compared)} ${chance.of(["=", "<>", ...(compared === "boolean" || compared === "text" ? [] : ["<", "<=", ">", ">="])])} ${of(compared)})`;
        },
        // Signs, such as those of a moment that was joined, have another order on each database.
        () =>
          `(${chance.of(lettersOnly)} ${chance.of(["<", "<=", ">", ">="])} ${chance.of(lettersOnly)})`,
        () => `(${of("boolean")} ${chance.of(["and", "or"])} ${of("boolean")})`,
        () => `(not (${of("boolean")}))`,
        () => `(${of(any())} is ${chance.of(["", "not "])}empty)`,
        () => `(${of("text")} ${chance.of(["contains", "begins with"])} ${of("text")})`,
        () => {
          const among = any();
          return `(${of(among)} ${chance.of(["", "not "])}in (${of(among)}, ${of(among)}))`;
        },
      ])();
    case "date":
      return chance.of<() => string>([
        () => `(${of("date")} ${chance.of(["+", "-"])} ${of("span")})`,
        () => `${chance.of(["min", "max"])}(${of("date")}, ${of("date")})`,
        () => `latest(harvests.taken${asked(chance, depth)})`,
        () => "largest(keepers.joined)",
      ])();
    case "time":
      return `${chance.of(["min", "max"])}(${of("time")}, ${of("time")})`;
    case "moment":
      return chance.of<() => string>([
        () => `(${of("moment")} ${chance.of(["+", "-"])} ${of("span")})`,
        () => `${chance.of(["min", "max"])}(${of("moment")}, ${of("moment")})`,
      ])();
    case "duration":
      return chance.of<() => string>([
        () => `(${of("duration")} ${chance.of(["+", "-"])} ${of("duration")})`,
        () => `(${of("duration")} ${chance.of(["*", "/"])} ${of("number")})`,
        () => `-(${of("duration")})`,
        () => `${chance.of(["min", "max"])}(${of("duration")}, ${of("duration")})`,
        () => `${chance.of(["sum", "average", "largest"])}(harvests.took${asked(chance, depth)})`,
      ])();
    case "span":
      return chance.of<() => string>([
        () => `(${of("date")} - ${of("date")})`,
        () => `(${of("span")} ${chance.of(["+", "-"])} ${of("span")})`,
        () => `(${of("span")} * ${of("number")})`,
        () => `-(${of("span")})`,
      ])();
  }
}

function asked(chance: Chance, depth: number): string {
  if (chance.happens(50)) return "";
  return chance.of<() => string>([
    () => `, harvests.amount > ${randomFormula(chance, "number", depth - 2)}`,
    () =>
      `, harvests.grade ${chance.of(["=", "contains"])} ${randomFormula(chance, "text", depth - 2)}`,
    () => `, harvests.grade < ${chance.of(lettersOnly)}`,
    () => `, year(harvests.taken) = year(today) or ${randomFormula(chance, "boolean", depth - 2)}`,
  ])();
}

function leaf(chance: Chance, type: ValueType): string {
  if (chance.happens(65)) return chance.of(names[type]);
  switch (type) {
    case "number":
      return chance.of(["0", "1", "2.5", "0.1", "100", "7", "0.05", "1000000"]);
    case "text":
      return `'${chance.of([...words, ""]).replaceAll("'", "''")}'`;
    case "boolean":
      return chance.of(["true", "false"]);
    default:
      return chance.of(names[type]);
  }
}

/** A database with the tables of the model. */
export interface FormulaDatabase {
  kind: DatabaseKind;
  db: Kysely<Record<string, Record<string, unknown>>>;
}

async function made(engine: Engine): Promise<void> {
  await engine.migrations.begin();
  const steps = schemaOf(formulaModel).tables.map((table) => ({
    kind: "add table" as const,
    table,
  }));
  for (const { parts } of engine.dialect.sections(steps, { tables: [] })) {
    for (const part of parts) if (part.kind === "run") await engine.migrations.run(part.sql);
  }
  await engine.migrations.commit();
  await engine.close();
}

export async function formulaDatabases(): Promise<FormulaDatabase[]> {
  const file = join(temporaryFolder(), "records.db");
  await made(openSqlite(file));
  const urls: string[] = [];
  for (const server of [postgres, mariadb]) {
    const { name, url } = databaseOfOnesOwn(server);
    await administrator(server, `create database ${name}`);
    await made(await server.open(new URL(url)));
    urls.push(url);
  }
  const [onOne = "", onOther = ""] = urls;
  return [
    { kind: "sqlite", db: onSqlite.openTables(`sqlite:${file}`) },
    { kind: "postgres", db: onPostgres.openTables(onOne) },
    { kind: "mariadb", db: onMariadb.openTables(onOther) },
  ];
}

async function fill({ db, kind }: FormulaDatabase, tables: Tables): Promise<void> {
  const order = ["apiary", "keeper", "hive", "harvest", "hive_keepers"];
  for (const table of [...order].reverse()) await db.deleteFrom(table).execute();
  const bare = (value: unknown) =>
    kind === "mariadb" && typeof value === "string" && /^\d{4}-.*Z$/.test(value)
      ? value.replace("T", " ").replace("Z", "")
      : value;
  for (const table of order) {
    for (const row of tables[table] ?? []) {
      const values = Object.fromEntries(
        Object.entries(row).map(([name, value]) => [name, bare(value)]),
      );
      await db.insertInto(table).values(values).execute();
    }
  }
}

function surroundings(tables: Tables): Surroundings {
  return {
    today: "2026-05-03",
    now: "2026-05-03T07:08:09Z",
    record: (table, id) => tables[table]?.find((row) => row.id === id),
    belonging: ({ table, by }, id) =>
      typeof by === "string"
        ? (tables[table] ?? []).filter((row) => row[by] === id)
        : (tables[by.links] ?? [])
            .filter((link) => link[by.from] === id)
            .flatMap((link) => (tables[table] ?? []).filter((row) => row.id === link[by.to])),
  };
}

function read(value: unknown, { type }: Calculation): unknown {
  if (value === null || value === undefined) return null;
  if (type === "number" || type === "span") return Number(value) + 0;
  if (type === "boolean") return value === true || Number(value) === 1;
  return type === "time" ? String(value).slice(0, 5) : value;
}

/** A formula of the values of a row that isn't saved. */
async function ofValues(
  { kind, db }: FormulaDatabase,
  calculation: Calculation,
  row: Row,
  around: { today: string; now: string },
): Promise<unknown> {
  const columns: ColumnOf[] = [];
  const text = readFormulaSql(calculation, kind, {
    row: "",
    ...momentsIn(kind, around),
    given: (column) => `\0${columns.push(column) - 1}\0`,
  });
  const { bindValue } = { sqlite: onSqlite, postgres: onPostgres, mariadb: onMariadb }[kind];
  const parts = text.split("\0").map((part, at) => {
    const column = at % 2 === 1 ? columns[Number(part)] : undefined;
    return column ? bindValue(bindKind(column), row[column.column]) : sql.raw(part);
  });
  const { rows } = await sql<{ value: unknown }>`select ${sql.join(parts, sql``)} as value`
    .execute(db)
    .catch((error: Error) => {
      throw new Error(`not saved on ${kind}: ${error.message}\n${text}`);
    });
  return rows[0]?.value;
}

/** Computes random formulas over random rows in every way there is, and expects the same. Returns how many there were. */
export async function sameEverywhere(
  databases: readonly FormulaDatabase[],
  seed: number,
  count: number,
): Promise<number> {
  const chance = new Chance(seed);
  const tables = rowsOf(chance);
  const around = surroundings(tables);
  for (const database of databases) await fill(database, tables);
  const hive = entityNamed(formulaModel, "Hive");
  const types = ["number", "number", "text", "boolean", "date", "moment", "time", "span"] as const;
  let usable = 0;
  while (usable < count) {
    const text = `= ${randomFormula(chance, chance.of(types), 1 + chance.below(4))}`;
    const found = formulaOf(formulaModel, hive, text);
    if ("complaint" in found) {
      if (/places|too|not a list|no choice|multiplies/.test(found.complaint.message)) continue;
      throw new Error(`${text}: ${found.complaint.message}`);
    }
    usable++;
    const { calculation } = found;
    const evaluate = evaluation(calculation);
    const expected = (tables.hive ?? []).map((row) => evaluate(row, around));
    for (const { kind, db } of databases) {
      const expression = readFormulaSql(calculation, kind, {
        row: nameIn(kind, "hive"),
        ...momentsIn(kind, around),
      });
      const { rows } = await sql<{
        value: unknown;
      }>`select ${sql.raw(expression)} as value from hive order by id`
        .execute(db)
        .catch((error: Error) => {
          throw new Error(`seed ${seed} on ${kind}: ${error.message}\n${text}\n${expression}`);
        });
      const values = rows.map(({ value }) => read(value, calculation));
      expect(
        values,
        `seed ${seed} on ${kind}: ${text}\n${process.env.SHOW ? `${expression}\n${JSON.stringify(tables)}` : ""}`,
      ).toEqual(expected);
      if (looksAtLists(calculation)) continue;
      // The same of values that aren't saved, as a form has them.
      const before = compiledBefore(formulaModel, hive, { formula: text });
      const [first = {}] = tables.hive ?? [];
      const found = read(await ofValues({ kind, db }, before, first, around), before);
      expect(found, `seed ${seed}, not saved, on ${kind}: ${text}`).toEqual(expected[0]);
    }
  }
  return usable;
}
