import { Kysely, type RawBuilder, type SqlBool, SqliteDialect, sql } from "kysely";
import Driver from "libsql";
import type { MigrationConnection } from "./migrations.ts";

/** A SQLite file: written ahead, foreign keys on, and patient for five seconds when another process writes. */
export function openFile(file: string): Driver.Database {
  const driver = new Driver(file);
  driver.pragma("busy_timeout = 5000");
  driver.pragma("journal_mode = WAL");
  driver.pragma("synchronous = NORMAL");
  driver.pragma("foreign_keys = ON");
  return driver;
}

/** The typed tables of a SQLite file. */
export function openTables<Tables>(file: string): Kysely<Tables> {
  const driver = openFile(file);
  return new Kysely<Tables>({
    dialect: new SqliteDialect({
      database: { prepare: (text) => coded(driver.prepare(text)), close: () => driver.close() },
    }),
  });
}

/** The same file as migrations need it. */
export function migrationConnection(driver: Driver.Database): MigrationConnection {
  return {
    run: async (text) => {
      driver.exec(text);
    },
    rows: async (text, values = []) => driver.prepare(text).all(values.map(encode)) as never,
    hasTable: async (name) =>
      driver.prepare("select 1 from sqlite_schema where type = 'table' and name = ?").all(name)
        .length > 0,
    close: async () => {
      driver.close();
    },
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

/** A statement whose values are encoded on the way in, and whose BOOLEAN columns are decoded on the way out. */
function coded(statement: Driver.Statement) {
  const decode = (rows: unknown[]) => {
    const booleans = statement
      .columns()
      .filter((column) => column.type?.toUpperCase() === "BOOLEAN")
      .map((column) => column.name);
    if (booleans.length === 0) return rows;
    for (const row of rows as Record<string, unknown>[]) {
      for (const name of booleans) row[name] = row[name] === null ? null : row[name] === 1;
    }
    return rows;
  };
  return {
    reader: statement.reader,
    all: (values: readonly unknown[]) => decode(statement.all(values.map(encode))),
    run: (values: readonly unknown[]) => statement.run(values.map(encode)),
    iterate: (values: readonly unknown[]) =>
      statement.iterate(values.map(encode)) as IterableIterator<unknown>,
  };
}

/** Whether a column holds a text, whatever the case of its letters. */
export function contains(column: string, word: string): RawBuilder<SqlBool> {
  const pattern = `%${word.replace(/[\\%_]/g, "\\$&")}%`;
  return sql<SqlBool>`${sql.ref(column)} like ${pattern} escape '\\'`;
}

/** The order of a text that is made of several columns: by letters, whatever their case. */
export function textOrder(column: string): RawBuilder<unknown> {
  return sql`${sql.ref(column)} collate nocase`;
}

/** Why a statement was refused, where the reason is in the data: which columns, as far as the database says. */
export interface Refusal {
  reason: "unique" | "reference" | "check";
  columns: string[];
}

/** What the data did to be refused; undefined for any other error. */
export function refusal(error: unknown): Refusal | undefined {
  if (!(error instanceof Error) || !("code" in error)) return undefined;
  const columns = [...error.message.matchAll(/\b[^\s.,:]+\.([^\s.,:]+)/g)].map(
    (found) => found[1] ?? "",
  );
  if (error.code === "SQLITE_CONSTRAINT_UNIQUE") return { reason: "unique", columns };
  if (error.code === "SQLITE_CONSTRAINT_FOREIGNKEY") return { reason: "reference", columns: [] };
  if (error.code === "SQLITE_CONSTRAINT_CHECK") return { reason: "check", columns: [] };
  return undefined;
}
