import { closeSync, existsSync, openSync } from "node:fs";
import { resolve } from "node:path";
import Driver from "libsql";
import type { MigrationConnection } from "../../migrations/migrations.ts";
import { NoWay, unquoted } from "../../migrations/script-runner.ts";
import { inBatches } from "../batches.ts";
import { prepareLetters } from "./letters.ts";

/** The database's name in the names of SQL files: `forward.sqlite.sql`. */
export const kind = "sqlite";

/** The file of an address such as `sqlite:path/to.db`, seen from the working folder. */
export function fileOf(address: string): string {
  if (!address.startsWith("sqlite:")) {
    throw new Error("DATABASE_URL has to begin with sqlite:, as in sqlite:../records.db");
  }
  const path = address.slice("sqlite:".length).replace(/^\/\/(?=\/)/, "");
  return path === ":memory:" ? path : resolve(path);
}

/** Opens a database for migrations. */
export async function openConnection(address: string): Promise<MigrationConnection> {
  return migrationConnection(openFile(fileOf(address)));
}

/**
 * A setting of connections: what is sorted goes to a file of its own, some megabytes at a time. The driver would keep all of it
 * in memory, row by row, which takes twice as long for a million rows.
 */
export const sortsInFiles = "temp_store = file";

/** Opens a SQLite file with write-ahead logging and foreign keys. `patience` is the wait for other writers, in milliseconds. */
export function openFile(file: string, patience = 5000): Driver.Database {
  // Rows are their owner's alone. Only a file that isn't there is touched: closing one takes away its locks.
  if (file !== ":memory:" && !existsSync(file)) closeSync(openSync(file, "a", 0o600));
  const driver = new Driver(file);
  // Switching on write-ahead logging needs exclusive access for a moment.
  driver.pragma("busy_timeout = 5000");
  driver.pragma("journal_mode = WAL");
  driver.pragma("synchronous = NORMAL");
  driver.pragma("foreign_keys = ON");
  driver.pragma(sortsInFiles);
  driver.pragma(`busy_timeout = ${patience}`);
  return driver;
}

/** How long a migration waits for another one to end, in milliseconds. */
const longestWait = 600_000;

/** The same file as migrations need it. */
export function migrationConnection(driver: Driver.Database): MigrationConnection {
  const rows = <Row>(text: string, values: readonly unknown[] = []) => {
    const statement = driver.prepare(text);
    const encoded = values.map(encode);
    if (statement.reader) return statement.all(encoded) as Row[];
    statement.run(encoded);
    return [];
  };
  /** Whether rows were touched since the transaction began, so that references may lead nowhere. */
  let touched = false;
  return {
    ownTypes: { numbered: "integer primary key autoincrement", moment: "text" },
    run: async (text) => {
      touched ||= /\b(drop table|update|delete|insert)\b/i.test(text);
      driver.exec(text);
    },
    columns: async (table) =>
      (
        driver.prepare("select name from pragma_table_info(?)").all(table) as { name: string }[]
      ).map(({ name }) => name),
    rows: async (text, values) => rows(text, values),
    stream: async (text) => {
      const statement = driver.prepare(text).raw(true);
      const columns = statement.columns().map(({ name }) => name);
      return { columns, rows: statement.iterate() as IterableIterator<unknown[]> };
    },
    fill: (table, columns, given) => fill(driver, table, columns, given),
    holdTriggers: async (table, columns) => {
      const returnColumns = holdColumns(driver, table, columns);
      const returnTriggers = holdTriggers(driver, table);
      return async () => {
        returnColumns();
        await returnTriggers();
      };
    },
    hasTable: async (name) =>
      driver.prepare("select 1 from sqlite_schema where type = 'table' and name = ?").all(name)
        .length > 0,
    begin: async () => {
      // A table that is rebuilt is dropped first, which must not cascade to rows that refer to it.
      driver.pragma("foreign_keys = off");
      await beginPatiently(driver);
      prepareLetters(driver);
      touched = false;
    },
    commit: async () => {
      const [lost] = (touched ? driver.prepare("pragma foreign_key_check").all() : []) as {
        table: string;
        rowid: number;
        parent: string;
      }[];
      if (lost) {
        throw new Error(
          `row ${lost.rowid} of ${lost.table} refers to a row of ${lost.parent} that is not there`,
        );
      }
      driver.exec("commit");
      driver.pragma("foreign_keys = on");
    },
    rollback: async () => {
      if (driver.inTransaction) driver.exec("rollback");
      driver.pragma("legacy_alter_table = off");
      driver.pragma("foreign_keys = on");
    },
    close: async () => {
      driver.close();
    },
  };
}

async function beginPatiently(driver: Driver.Database): Promise<void> {
  for (const end = Date.now() + longestWait; ; ) {
    try {
      driver.exec("begin immediate");
      return;
    } catch (error) {
      if ((error as { code?: string }).code !== "SQLITE_BUSY" || Date.now() > end) throw error;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  }
}

async function fill(
  driver: Driver.Database,
  table: string,
  columns: readonly string[],
  rows: AsyncIterable<unknown[]>,
): Promise<void> {
  const names = columns.map((name) => `"${name.replaceAll('"', '""')}"`);
  const typed = names.map((name, at) =>
    at === 0 && columns[0] === "id" ? `${name} integer primary key` : name,
  );
  driver.exec(`create temp table ${table} (${typed.join(", ")})`);
  const marks = `(${names.map(() => "?").join(", ")})`;
  const atOnce = 100;
  const many = driver.prepare(
    `insert into ${table} values ${Array(atOnce).fill(marks).join(", ")}`,
  );
  const single = driver.prepare(`insert into ${table} values ${marks}`);
  await inBatches(rows, atOnce, (batch) => {
    if (batch.length === atOnce) many.run(batch.flat().map(encode));
    else for (const row of batch) single.run(row.map(encode));
  });
}

interface ColumnInfo {
  name: string;
  type: string;
  notnull: number;
  dflt_value: string | null;
  hidden: number;
}

/** Carries columns that were added by hand over into the rebuilt table, with their values. */
function holdColumns(driver: Driver.Database, table: string, known: readonly string[]): () => void {
  const names = new Set(known.map((column) => unquoted(column).toLowerCase()));
  const all = driver
    .prepare("select * from pragma_table_xinfo(?)")
    .all(unquoted(table)) as ColumnInfo[];
  const added = known.length === 0 ? [] : all.filter(({ name }) => !names.has(name.toLowerCase()));
  if (added.length === 0) return () => undefined;
  const referring = driver
    .prepare('select "from" as name from pragma_foreign_key_list(?)')
    .all(unquoted(table)) as { name: string }[];
  const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`;
  for (const { name, notnull, dflt_value, hidden } of added) {
    const plain = hidden === 0 && !(notnull === 1 && dflt_value === null);
    if (plain && !referring.some((each) => each.name === name)) continue;
    throw new NoWay(
      `The column ${name} of ${unquoted(table)} was added by hand, and can't be carried over when the table is rebuilt. Remove it, or declare it in the model.`,
    );
  }
  const aside = quoted(`levadura_by_hand_${unquoted(table)}`);
  const columns = added.map(({ name }) => quoted(name));
  driver.exec(`create temp table ${aside} as select id, ${columns.join(", ")} from ${table}`);
  return () => {
    for (const { name, type, notnull, dflt_value } of added) {
      const start = dflt_value === null ? "" : ` default ${dflt_value}`;
      const needed = notnull === 1 ? " not null" : "";
      driver.exec(`alter table ${table} add column ${quoted(name)} ${type}${needed}${start}`);
    }
    const sets = columns.map((column) => `${column} = a.${column}`).join(", ");
    driver.exec(`update ${table} set ${sets} from ${aside} as a where a.id = ${table}.id`);
    driver.exec(`drop table temp.${aside}`);
  };
}

/** Triggers, and indexes that people made themselves, go when their table is rebuilt. */
function holdTriggers(driver: Driver.Database, table: string): () => Promise<void> {
  const name = unquoted(table);
  const present = () =>
    driver
      .prepare(
        "select name, sql from sqlite_schema where type in ('trigger', 'index') and tbl_name = ? collate nocase and sql is not null",
      )
      .all(name) as { name: string; sql: string }[];
  const held = present();
  return async () => {
    const there = new Set(present().map((each) => each.name));
    for (const each of held) if (!there.has(each.name)) driver.exec(each.sql);
  };
}

/**
 * What the driver takes for a value. It knows no booleans, and reads a text back cut at a NUL, so
 * the one is a number here and the other is refused.
 */
export function encode(value: unknown): string | number | bigint | null {
  if (value === null) return null;
  if (typeof value === "boolean") return value ? 1 : 0;
  if (typeof value === "number" && Number.isFinite(value)) return value;
  if (typeof value === "bigint") return value;
  if (typeof value === "string" && !value.includes("\0")) return value;
  throw new TypeError(`The database can't keep ${typeof value} ${String(value).slice(0, 40)}`);
}
