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
