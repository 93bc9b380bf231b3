import type { MigrationConnection } from "../../../kit/database/migrations.ts";
import type { Value } from "../../core/seeding/values.ts";
import type { Dialect } from "../../core/sql/dialect.ts";
import type { Loader, LoadSettings } from "./loading.ts";

/** A database that is open. A new kind of database is one more of these, beside its dialect. */
export interface Engine {
  dialect: Dialect;
  /** The same database as applying migrations needs it. */
  migrations: MigrationConnection;
  /** Where it is, in words for people. */
  place: string;
  hasTable(name: string): boolean | Promise<boolean>;
  /** Whether a table has no rows and never had any. */
  isUntouched(table: string): Promise<boolean>;
  /** The numbers of the rows of a table. */
  ids(table: string): Promise<number[]>;
  /** What a column holds; nothing where there is no such column. */
  values(table: string, column: string): Promise<Value[]>;
  /** Inserts rows, all of the same columns, and gives the numbers that they got. */
  insert(table: string, rows: readonly Readonly<Record<string, Value>>[]): Promise<number[]>;
  /** Inserts into a table without numbers of its own. */
  insertPairs(
    table: string,
    columns: readonly [string, string],
    pairs: readonly (readonly [number, number])[],
  ): Promise<void>;
  /** Loads rows into tables, quickly, and beside those that are there. */
  loader(settings: LoadSettings): Loader;
  /** Does all of the work, or nothing of it. */
  transaction<Result>(work: () => Promise<Result>): Promise<Result>;
  close(): Promise<void>;
}
