import type { Backfill, SqlByDatabase } from "../evolution/steps.ts";
import type { Check, ColumnType } from "../fields/storage.ts";
import type { Column, Table } from "../schema/schema.ts";
import type { ScriptPart } from "./script.ts";

/** The syntax of a database for what all of them can do; the parts that dialects share are written with it. */
export interface Syntax {
  /** The word by which steps know the database. */
  database: keyof SqlByDatabase;
  /** A quoted name. */
  quoted(name: string): string;
  /** A made-up name, cut to what the database takes. */
  madeName(name: string): string;
  literal(value: string | number | boolean): string;
  /** The expression of a value that rows are filled with. */
  fill(fill: Backfill): string;
  /** The current time, as the columns of every entity keep it. */
  now: string;
  /** Whether two expressions are the same, nothing and nothing included; texts whatever the case of ASCII letters. */
  same(one: string, other: string): string;
  /** Whether two texts are the same, nothing and nothing included, whatever their case. */
  alike(one: string, other: string): string;
  /** Whether they differ by so much as a letter's case. */
  differs(one: string, other: string): string;
  /** A text for comparisons that ignore case. */
  caseless(text: string): string;
  /** The same of a column of rows `alias`, in the way in which an index helps. */
  caselessColumn(table: Table | undefined, alias: string, column: string): string;
  /** What an expression has to obey for a column to take it; null passes. */
  checksOf(column: Column, value: string): string[];
  /** A check of the model's, on an expression. */
  check(check: Check, value: string): string;
  /** An expression turned from one type into another; null where a value can't be. Days and moments go by a time zone. */
  converted(value: string, from: ColumnType, to: ColumnType, lossy: boolean, zone: string): string;
  /** A kept value that is the number of a row, as a number. */
  number(value: string): string;
  /** Lays the rows of a query aside, in a table that is dropped again. */
  aside(table: string, query: string): ScriptPart[];
  /** What begins and ends a statement that inserts rows, and passes over those that are there. */
  insertMissing: readonly [string, string];
}

/** The temporary table of a file of kept rows. */
export function keptTable(syntax: Syntax, file: string): string {
  return syntax.quoted(syntax.madeName(`levadura_kept_${file}`));
}

/** Rows laid aside where nothing of a migration outlives a connection that breaks off. */
export function inTemporaryTable(table: string, query: string): ScriptPart[] {
  return [{ kind: "run", sql: `create temp table ${table} as ${query}` }];
}
