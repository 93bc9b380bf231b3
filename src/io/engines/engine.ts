import type { ConstraintViolation } from "../../../kit/database/contract.ts";
import type { MigrationConnection } from "../../../kit/migrations/migrations.ts";
import type { Failure } from "../../core/failure.ts";
import type { Schema } from "../../core/schema/schema.ts";
import type { Value } from "../../core/seeding/value.ts";
import type { Dialect } from "../../core/sql/dialect.ts";
import type { Filler } from "./filling.ts";
import type { Loader, LoadSettings } from "./loading.ts";

/** Tables by name, as a database itself describes them. */
export type Catalogue = Map<string, CatalogueTable>;

export interface CatalogueTable {
  columns: Map<string, string>;
  indexes: Map<string, string>;
}

/** What was loaded of tables that are there. */
export const loadedTables =
  "select entity, checksum from levadura_loads where entity_table not like '-%' order by number";

/** An open database. A new kind of database implements this, and a dialect. */
export interface Engine {
  dialect: Dialect;
  /** The same database, as the migration runner needs it. */
  migrations: MigrationConnection;
  /** How many rows a query has. */
  count(query: string): Promise<number>;
  /** The first rows of a query, by their numbers. */
  sample(query: string, rows: number): Promise<{ id: unknown; value: unknown }[]>;
  /** The tables that are there. */
  catalogue(): Promise<Catalogue>;
  /** The tables that would be there if a schema was made from nothing; undefined where that can't be tried. */
  catalogueOf(schema: Schema): Promise<Catalogue | undefined>;
  /** An error of the driver, as a failure that says where and what to do. */
  failure(error: unknown): Failure;
  /** The constraint violation behind an error; undefined where the data is not to blame. */
  constraintViolation(error: unknown, names?: readonly string[]): ConstraintViolation | undefined;
  /** Where it is, in words for people. */
  place: string;
  hasTable(name: string): boolean | Promise<boolean>;
  /** Whether a table has no rows and never had any. */
  isUntouched(table: string): Promise<boolean>;
  /** What a column holds; nothing where there is no such column. */
  values(table: string, column: string): Promise<Value[]>;
  /** Remembers that seeding made the rows of these numbers. */
  noteSeeded(table: string, first: number, last: number): Promise<void>;
  /** Puts ready rows into tables, at the speed of the database. */
  filler: Filler;
  /** The entities whose data files were loaded, with the checksum of each, oldest first. */
  loads(): Promise<{ entity: string; checksum: string }[]>;
  /** Remembers that a data file was loaded at a moment. */
  noteLoad(entity: string, table: string, checksum: string, moment: string): Promise<void>;
  /** Loads rows into tables, quickly, and beside those that are there. */
  loader(settings: LoadSettings): Loader;
  /** Copies the database aside, then deletes everything in it. */
  clear(copy: string): Promise<void>;
  /** Runs work in a transaction. */
  transaction<Result>(work: () => Promise<Result>): Promise<Result>;
  close(): Promise<void>;
}
