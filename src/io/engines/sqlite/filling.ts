import type Driver from "libsql";
import { encode } from "../../../../kit/database/sqlite/connection.ts";
import { orderOf } from "../../../../kit/database/sqlite/letters.ts";
import { isAscii } from "../../../core/naming/words.ts";
import type { Value } from "../../../core/seeding/value.ts";
import { sqlite } from "../../../core/sql/sqlite/dialect.ts";
import { orderColumn, orderTrigger } from "../../../core/sql/sqlite/ordering.ts";
import { type Filler, type FillTarget, inPieces } from "../filling.ts";

const { quoted } = sqlite;

/** Rows and values that one statement takes: more are no faster. */
export const most = { rows: 100, values: 30_000 };

/** AUTOINCREMENT remembers it, also when its row is gone. */
export function highest(driver: Driver.Database, table: string): number {
  const [used] = driver.prepare("select seq from sqlite_sequence where name = ?").all(table) as {
    seq: number;
  }[];
  return Number(used?.seq ?? 0);
}

/** Fills a table, without its indexes where it was empty: building them again is faster than keeping them up. */
export function withoutIndexes<Result>(
  driver: Driver.Database,
  table: string,
  work: () => Result,
): Result {
  const empty = driver.prepare(`select 1 from ${quoted(table)} limit 1`).all().length === 0;
  const indexes = empty ? definitions(driver, table, "index") : [];
  for (const { name } of indexes) driver.exec(`drop index ${quoted(name)}`);
  try {
    return work();
  } finally {
    for (const { sql } of indexes) driver.exec(sql);
  }
}

function definitions(driver: Driver.Database, table: string, type: "index" | "trigger") {
  return driver
    .prepare(
      "select name, sql from sqlite_schema where type = ? and tbl_name = ? and sql is not null",
    )
    .all([type, table]) as { name: string; sql: string }[];
}

/** Puts rows into the tables of a SQLite file. */
export function sqliteFiller(driver: Driver.Database): Filler {
  return {
    highest: async (table) => highest(driver, table),
    fill: async (target, rows) => {
      // What texts are ordered by is written with them, instead of by a trigger a row.
      const trigger = definitions(driver, target.table, "trigger").find(
        ({ name }) => name === orderTrigger(target.table, "insert"),
      );
      if (trigger) driver.exec(`drop trigger ${quoted(trigger.name)}`);
      withoutIndexes(driver, target.table, () => insertRows(driver, target, rows));
      if (trigger) driver.exec(trigger.sql);
    },
    // The database does this by itself.
    goOn: async () => undefined,
    set: async (table, column, values) => {
      const statement = driver.prepare(
        `update ${quoted(table)} set ${quoted(column)} = ? where id = ?`,
      );
      for (const [id, value] of values) statement.run([encode(value), id]);
    },
  };
}

function insertRows(
  driver: Driver.Database,
  { table, columns, first, moment }: FillTarget,
  rows: Iterable<Readonly<Record<string, Value>>>,
): void {
  const beside = new Set(
    (driver.prepare("select name from pragma_table_info(?)").all(table) as { name: string }[]).map(
      ({ name }) => name,
    ),
  );
  const ordered = columns.filter((column) => beside.has(orderColumn(column)));
  const numbered = first !== undefined;
  const names = [
    ...(numbered ? ["id"] : []),
    ...columns,
    ...ordered.map(orderColumn),
    ...(moment ? ["created_at", "updated_at"] : []),
  ];
  const width = (numbered ? 1 : 0) + columns.length + ordered.length;
  const marks = `(${[...Array(width).fill("?"), ...(moment ? [`'${moment}'`, `'${moment}'`] : [])].join(", ")})`;
  const statement = (count: number) =>
    driver.prepare(
      `insert into ${quoted(table)} (${names.map(quoted).join(", ")}) values ${Array(count).fill(marks).join(", ")}`,
    );
  const atOnce = Math.max(1, Math.min(most.rows, Math.floor(most.values / width)));
  const many = statement(atOnce);
  const single = statement(1);
  let number = first ?? 0;
  for (const piece of inPieces(rows, atOnce)) {
    const values: unknown[] = [];
    for (const row of piece) {
      if (numbered) values.push(number++);
      for (const column of columns) values.push(encode(row[column]));
      for (const column of ordered) {
        const text = row[column];
        values.push(typeof text === "string" && !isAscii(text) ? orderOf(text) : null);
      }
    }
    if (piece.length === atOnce) many.run(values);
    else {
      for (let at = 0; at < values.length; at += width) single.run(values.slice(at, at + width));
    }
  }
}
