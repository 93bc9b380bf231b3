import type Driver from "libsql";
import { encode } from "../../../../kit/database/sqlite/connection.ts";
import { orderOf } from "../../../../kit/database/sqlite/letters.ts";
import { orderColumn } from "../../../../kit/database/sqlite/text-order.ts";
import { isAscii } from "../../../../kit/formula/ascii.ts";
import { wordsIndexName } from "../../../core/schema/from-model.ts";
import type { Value } from "../../../core/seeding/value.ts";
import { sqlite } from "../../../core/sql/sqlite/dialect.ts";
import { orderTrigger } from "../../../core/sql/sqlite/ordering.ts";
import { fillLike, wordsTrigger } from "../../../core/sql/sqlite/words.ts";
import { columnsOf, type Filler, valuesOf } from "../filling.ts";

const { quoted } = sqlite;

/** Rows and values that one statement takes: more are no faster. */
const most = { rows: 100, values: 30_000 };

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
  indexing: (share: number) => void = () => undefined,
): Result {
  const indexes = isEmpty(driver, table) ? definitions(driver, table, "index") : [];
  for (const { name } of indexes) driver.exec(`drop index ${quoted(name)}`);
  try {
    return work();
  } finally {
    for (const [at, { sql }] of indexes.entries()) {
      indexing(at / indexes.length);
      driver.exec(sql);
    }
  }
}

function definitions(driver: Driver.Database, table: string, type: "index" | "trigger") {
  return driver
    .prepare(
      "select name, sql from sqlite_schema where type = ? and tbl_name = ? and sql is not null",
    )
    .all([type, table]) as { name: string; sql: string }[];
}

/**
 * Fills a table in which texts get what they are ordered by with them, instead of by a trigger a row. The index of the words of
 * a table that was empty is filled afterwards.
 */
export function withoutTriggers<Result>(
  driver: Driver.Database,
  table: string,
  work: () => Result,
): Result {
  const triggers = definitions(driver, table, "trigger");
  const named = (wanted: string) => triggers.find(({ name }) => name === wanted);
  const order = named(orderTrigger(table, "insert"));
  const words = isEmpty(driver, table)
    ? named(wordsTrigger(wordsIndexName(table), "insert"))
    : undefined;
  const off = [order, words].filter((trigger) => trigger !== undefined);
  for (const { name } of off) driver.exec(`drop trigger ${quoted(name)}`);
  const result = work();
  if (words) driver.exec(fillLike(words.sql, table));
  for (const { sql } of off) driver.exec(sql);
  return result;
}

function isEmpty(driver: Driver.Database, table: string): boolean {
  return driver.prepare(`select 1 from ${quoted(table)} limit 1`).all().length === 0;
}

/** Puts rows into the tables of a SQLite file. */
export function sqliteFiller(driver: Driver.Database): Filler {
  return {
    highest: async (table) => highest(driver, table),
    fill: async ({ moment, ...target }, rows) => {
      withoutTriggers(driver, target.table, () =>
        withoutIndexes(driver, target.table, () => {
          const inserter = new Inserter(driver, target.table, columnsOf(target), moment);
          for (const values of valuesOf(target, rows)) inserter.add(values);
          inserter.finish();
        }),
      );
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

type Bound = ReturnType<typeof encode>;

/** Inserts rows, many a statement. It writes what texts are ordered by, so the trigger that does has to be off. */
export class Inserter {
  readonly #width: number;
  readonly #atOnce: number;
  /** The columns of texts that have one beside them, by their places. */
  readonly #ordered: readonly number[];
  readonly #plain: (rows: number) => Driver.Statement;
  readonly #beside: (rows: number) => Driver.Statement;
  #values: Bound[] = [];
  #rows = 0;
  #isBeyondAscii = false;

  constructor(
    driver: Driver.Database,
    table: string,
    columns: string[],
    /** The moment at which all rows were made; undefined for a table that doesn't keep it. */
    moment: string | undefined,
  ) {
    const there = driver.prepare("select name from pragma_table_info(?)").all(table);
    const names = new Set((there as { name: string }[]).map(({ name }) => name));
    this.#ordered = columns.flatMap((column, at) => (names.has(orderColumn(column)) ? [at] : []));
    const besides = this.#ordered.map((at) => orderColumn(columns[at] ?? ""));
    this.#width = columns.length;
    const widest = columns.length + besides.length;
    this.#atOnce = Math.max(1, Math.min(most.rows, Math.floor(most.values / widest)));
    this.#plain = statements(driver, table, { columns, moment, usual: this.#atOnce });
    this.#beside = statements(driver, table, {
      columns: [...columns, ...besides],
      moment,
      usual: this.#atOnce,
    });
  }

  /** Takes a row: a value for each column. */
  add(row: readonly Value[]): void {
    for (let at = 0; at < this.#width; at++) this.#values.push(encode(row[at]));
    for (const at of this.#ordered) {
      const text = row[at];
      if (!this.#isBeyondAscii && typeof text === "string" && !isAscii(text)) {
        this.#isBeyondAscii = true;
      }
    }
    if (++this.#rows === this.#atOnce) this.finish();
  }

  /** Inserts the rows that wait for others. */
  finish(): void {
    if (this.#rows === 0) return;
    const rows = this.#rows;
    // Nearly all texts are ordered by themselves, and have nothing beside them.
    if (this.#isBeyondAscii) this.#beside(rows).run(this.#withOrder());
    else this.#plain(rows).run(this.#values);
    this.#values = [];
    this.#rows = 0;
    this.#isBeyondAscii = false;
  }

  #withOrder(): Bound[] {
    const values: Bound[] = [];
    for (let from = 0; from < this.#values.length; from += this.#width) {
      const row = this.#values.slice(from, from + this.#width);
      values.push(...row);
      for (const at of this.#ordered) {
        const text = row[at];
        values.push(typeof text === "string" && !isAscii(text) ? orderOf(text) : null);
      }
    }
    return values;
  }
}

/** The statement that inserts some rows; that of the usual number is prepared once. */
function statements(
  driver: Driver.Database,
  table: string,
  { columns, moment, usual }: { columns: string[]; moment: string | undefined; usual: number },
): (rows: number) => Driver.Statement {
  const made = moment === undefined ? [] : ["created_at", "updated_at"];
  const names = [...columns, ...made].map(quoted).join(", ");
  const marks = [...columns.map(() => "?"), ...made.map(() => `'${moment}'`)];
  const row = `(${marks.join(", ")})`;
  const prepare = (rows: number) =>
    driver.prepare(
      `insert into ${quoted(table)} (${names}) values ${Array(rows).fill(row).join(", ")}`,
    );
  let many: Driver.Statement | undefined;
  return (rows) => {
    if (rows !== usual) return prepare(rows);
    many ??= prepare(rows);
    return many;
  };
}
