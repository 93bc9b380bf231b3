import type { Expression, Kysely, RawBuilder, SqlBool } from "kysely";
import type { FormulaSyntax } from "../formula/syntax.ts";
import type { MigrationConnection } from "../migrations/migrations.ts";

/**
 * What a kind of database offers the kit. Each has a folder with `dialect.ts`, which puts it together from
 * `connection.ts`, `tables.ts`, `replication.ts` and `trouble.ts`; `scratch.ts` makes databases for tests. All three find, order and refuse
 * the same: `test/alike.test.ts` compares them.
 */
export interface Dialect {
  /** Its name in the names of SQL files: `forward.sqlite.sql`. */
  kind: string;
  /** Opens a database for migrations. */
  openConnection(address: string): Promise<MigrationConnection>;
  /** The typed tables of a database. `moments` are the columns that hold moments, by table. */
  openTables<Tables>(
    address: string,
    moments?: Readonly<Record<string, readonly string[]>>,
  ): Kysely<Tables>;
  /** The same tables, of which a database that can shows only what belongs to an organisation; 0 has nothing. */
  tablesOf<Tables>(db: Kysely<Tables>, organisation: number): Kysely<Tables>;
  /** The same tables for statements that may take long: they keep nobody else waiting, and are stopped when it is too long. */
  inBackground<Tables>(db: Kysely<Tables>): Kysely<Tables>;
  /** The replica of a database; undefined where DATABASE_READ_URL names none. */
  replicaOf<Tables>(db: Kysely<Tables>): Replica<Tables> | undefined;
  /** The position in the log of the server behind all that is saved by now, as a text; blank where it keeps no log. */
  logPosition(): RawBuilder<string>;
  /** Adds a row to a table unless its key is there already; the number of affected rows tells. */
  insertUnlessThere(table: string, row: Readonly<Record<string, string>>): RawBuilder<unknown>;
  /** How it computes formulas. */
  formulas: FormulaSyntax;
  /** A text of which others are the same only where every letter is. */
  exactly(text: RawBuilder<unknown>): RawBuilder<unknown>;
  /**
   * The same value of a column, by which no index leads to the rows: where all of them are read, one after the other takes less
   * time than by an index.
   */
  unindexed(value: RawBuilder<unknown>, type: "number" | "date"): RawBuilder<unknown>;
  /** Whether a text has another one in it, letter by letter. */
  holdsExactly(text: RawBuilder<unknown>, part: string): RawBuilder<SqlBool>;
  /** The year and the month of a day, whichever is faster: the text `2026-05` or the number 202605. */
  yearMonth(day: RawBuilder<unknown>): RawBuilder<unknown>;
  /** That a number is one of some, however many these are. */
  isAmong(number: RawBuilder<unknown>, numbers: readonly number[]): RawBuilder<SqlBool>;
  /** The day of a moment by a clock that is so many seconds ahead of UTC: `2026-05-03`, as a text. */
  dayOf(moment: RawBuilder<unknown>, seconds: number): RawBuilder<unknown>;
  /** Whether a text holds a word, whatever the case and the accents of its letters. */
  contains(text: Expression<unknown>, word: string): RawBuilder<SqlBool>;
  /** The same for a column; `ordered` says whether lists are ordered by its letters. */
  columnContains(column: string, word: string, ordered: boolean): RawBuilder<SqlBool>;
  /**
   * What gives the records of a table that may hold a word in some columns, by the index of the words of these; all that do
   * are among them. Undefined where the index can't help.
   */
  wordCandidates(
    table: string,
    columns: readonly string[],
    word: string,
  ): RawBuilder<{ id: number }> | undefined;
  /** That a text column begins with a text, by the index of its order; undefined where the index can't tell. */
  beginsWith(column: string, start: string): RawBuilder<SqlBool> | undefined;
  /** What a column of an order is compared by. */
  orderValue(column: string, text?: boolean): RawBuilder<unknown>;
  /** A term of an order: rows without a value come first, and last in a descending order. */
  orderTerm(column: string, descending?: boolean, text?: boolean): RawBuilder<unknown>;
  /** What gives about how many rows a table has, without counting them; undefined where the database doesn't know. */
  aboutRows(table: string): RawBuilder<{ about: number | null }> | undefined;
  /** The columns that a table has beside one whose letters order its rows. */
  columnsBeside(column: string): readonly string[];
  /** A value that isn't saved yet, within a formula; a tick box that was not shown counts as not ticked. */
  bindValue(kind: BindKind, value: unknown): RawBuilder<unknown>;
  /** A value as part of a text. */
  written(column: string, kind: WrittenKind): RawBuilder<string>;
  /** The constraint violation behind an error; undefined for any other. `names` are the columns that it may be about. */
  constraintViolation(error: unknown, names?: readonly string[]): ConstraintViolation | undefined;
  /** Why a statement failed, where neither data nor statement are the reason; undefined for any other error. */
  troubleOf(error: unknown): Trouble | undefined;
}

/** A copy of the database on another server, which follows it. */
export interface Replica<Tables> {
  /** The tables, of which it is asked what only reads; all else, and what it doesn't answer, its primary is asked. */
  tables: Kysely<Tables>;
  /** Whether it has everything up to a position in the log of its primary; false where it doesn't answer. */
  hasReached(position: string): Promise<boolean>;
}

/** Why a statement was refused, where the reason is in the data: which columns, as far as the database says. */
export interface ConstraintViolation {
  reason: "unique" | "reference" | "check";
  columns: string[];
  /** The name of the check that is violated, where it has one. */
  check?: string;
}

/** The kinds of values in formulas. */
export type BindKind = "text" | "number" | "boolean" | "date" | "time" | "datetime" | "reference";

/** The kinds of values that databases write in a way of their own when they are within a text. */
export type WrittenKind = "number" | "boolean" | "time" | "datetime";

/**
 * Why a statement failed, where the reason is neither in the data nor in the statement:
 *
 * - `conflict`: it met another change, and may well succeed when it is tried again;
 * - `busy`: others were writing for as long as this one was allowed to wait;
 * - `lost`: the connection was lost on the way, so that nobody knows how far the database got;
 * - `slow`: it took longer than a statement may;
 * - `unreachable`: there was no connection to begin with.
 */
export type Trouble = "conflict" | "busy" | "lost" | "slow" | "unreachable";
