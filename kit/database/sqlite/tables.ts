import { type Expression, Kysely, type RawBuilder, type SqlBool, SqliteDialect, sql } from "kysely";
import { lettersOf } from "../collation.ts";
import type { BindKind, ConstraintViolation, WrittenKind } from "../contract.ts";
import { columnsOfIndex } from "../index-names.ts";
import { BadSetting } from "../limits.ts";
import { readAddress } from "../location.ts";
import { fileOf } from "./connection.ts";
import { FileDriver } from "./driver.ts";
import { baseOf, folded } from "./letters.ts";

/** The typed tables of a SQLite file. */
export function openTables<Tables>(address: string): Kysely<Tables> {
  if (readAddress())
    throw new BadSetting("A SQLite file has no replica. Remove DATABASE_READ_URL.");
  return new Kysely<Tables>({ dialect: new FileDialect(fileOf(address)) });
}

/** SQLite, reached in a way that never stops the process. */
class FileDialect extends SqliteDialect {
  readonly #file: string;

  constructor(file: string) {
    super({ database: () => Promise.reject(new Error("The driver opens the file.")) });
    this.#file = file;
  }

  override createDriver(): FileDriver {
    return new FileDriver(this.#file);
  }
}

/** Adds a row to a table unless its key is there already; the number of affected rows tells. */
export function insertUnlessThere(
  table: string,
  row: Readonly<Record<string, string>>,
): RawBuilder<unknown> {
  const columns = sql.join(Object.keys(row).map((name) => sql.ref(name)));
  return sql`insert or ignore into ${sql.table(table)} (${columns}) values (${sql.join(Object.values(row))})`;
}

/** The same database: it has no security of rows of its own. */
export function tablesOf<Tables>(db: Kysely<Tables>, _organisation: number): Kysely<Tables> {
  return db;
}

/** A text of which others are the same only where every letter is. */
export function exactly(text: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`(${text} || '')`;
}

/** The same value, of which SQLite knows no index. */
export function unindexed(value: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`+${value}`;
}

/** Whether a text has another one in it, letter by letter. */
export function holdsExactly(text: RawBuilder<unknown>, part: string): RawBuilder<SqlBool> {
  return sql<SqlBool>`instr(${text}, ${part}) > 0`;
}

/** The year and the month of a day: `2026-05`. */
export function yearMonth(day: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`substr(${day}, 1, 7)`;
}

/** That a number is one of some, however many these are. */
export function isAmong(
  number: RawBuilder<unknown>,
  numbers: readonly number[],
): RawBuilder<SqlBool> {
  // One parameter for all of them: a long list takes longer to be read than its rows.
  return sql<SqlBool>`${number} in (select value from json_each(${JSON.stringify(numbers)}))`;
}

/** The day of a moment by a clock that is so many seconds ahead of UTC: `2026-05-03`. */
export function dayOf(moment: RawBuilder<unknown>, seconds: number): RawBuilder<unknown> {
  const shift = `${seconds < 0 ? "" : "+"}${seconds} seconds`;
  return sql`substr(datetime(${moment}, ${sql.lit(shift)}), 1, 10)`;
}

/** Whether a text holds a word, whatever the case and the accents of its letters. */
export function contains(text: Expression<unknown>, word: string): RawBuilder<SqlBool> {
  return sql<SqlBool>`(${text}) glob ${globPattern(word)}`;
}

/** The same for a column. Where its letters are ASCII ones, that is known at once from the column beside it, if it has one. */
export function columnContains(
  column: string,
  word: string,
  ordered: boolean,
): RawBuilder<SqlBool> {
  const text = sql.ref(column);
  const ascii = ordered
    ? sql`${sql.ref(`${column}__order`)} is null`
    : sql`length(${text}) = octet_length(${text})`;
  // Conditions after a GLOB take five times as long.
  return sql<SqlBool>`case when ${ascii} then ${text} like ${likePattern(word)} escape '\\' else ${contains(text, word)} end`;
}

/** The most parts of a word that are looked for: the record is looked at again anyway. */
const mostParts = 24;

/** What gives the records of a table that may hold a word in some columns, by the index of three letters in a row of these. */
export function wordCandidates(
  table: string,
  _columns: readonly string[],
  word: string,
): RawBuilder<{ id: number }> | undefined {
  const letters = lettersOf(word).map(indexedLetter);
  if (letters.includes(undefined)) return undefined;
  const text = [...letters.join("")];
  const parts = text.slice(2, mostParts + 2).map((_, at) => text.slice(at, at + 3).join(""));
  if (parts.length === 0) return undefined;
  const index = sql.table(`levadura_${table}_words_index`);
  const query = parts.map((part) => `"${part.replaceAll('"', '""')}"`).join(" AND ");
  return sql`select rowid as id from ${index} where ${index} match ${query}`;
}

/** What the index of words has for a letter; undefined where it tells letters apart that a search takes for the same. */
function indexedLetter(alike: string): string | undefined {
  const read = new Set(Array.from(alike, baseOf));
  return read.size === 1 ? [...read][0] : undefined;
}

/** A word for `like`, which knows the case of ASCII letters: of letters that are alike, the one of these. */
function likePattern(word: string): string {
  const letters = lettersOf(word).map((alike) => /[ -~]/.exec(alike)?.[0] ?? alike);
  return `%${letters.map((letter) => letter.replace(/[%_\\]/, "\\$&")).join("")}%`;
}

/** A word for `glob`: of each letter, those that are alike. */
function globPattern(word: string): string {
  const letters = lettersOf(word).map((alike) =>
    alike.length > 1 || "*?[".includes(alike) ? `[${alike}]` : alike,
  );
  return `*${letters.join("")}*`;
}

/**
 * What a column of an order is compared by. A column of texts is ordered by the one beside it, where its letters go
 * beyond ASCII; a text made of several columns, which has no table before its name, by what SQL makes of it.
 */
export function orderValue(column: string, text = false): RawBuilder<unknown> {
  if (!text) return sql.ref(column);
  return column.includes(".")
    ? sql`coalesce(${sql.ref(`${column}__order`)}, lower(${sql.ref(column)}))`
    : sql.raw(folded(`"${column.replaceAll('"', '""')}"`));
}

/** That a column begins with a text, by the index of its order; undefined where the index can't tell. */
export function beginsWith(column: string, start: string): RawBuilder<SqlBool> | undefined {
  // Other letters have keys of their own in the index.
  if (!/^[ -~]+$/.test(start)) return undefined;
  const value = orderValue(column, true);
  const low = start.toLowerCase();
  return sql<SqlBool>`${value} >= ${low} and ${value} < ${`${low}\u{10ffff}`}`;
}

/** A term of an order: rows without a value are first. */
export function orderTerm(column: string, descending = false, text = false): RawBuilder<unknown> {
  return sql`${orderValue(column, text)} ${sql.raw(descending ? "desc" : "asc")}`;
}

/** SQLite keeps no number of rows. */
export function aboutRows(): undefined {}

/** The columns that a table has beside one whose letters order its rows. */
export function columnsBeside(column: string): readonly string[] {
  return [`${column}__order`];
}

/** A value that isn't saved yet, within a formula; a tick box that was not shown counts as not ticked. */
export function bindValue(kind: BindKind, value: unknown): RawBuilder<unknown> {
  return sql`${value ?? (kind === "boolean" ? false : null)}`;
}

/** A value as part of a text. */
export function written(column: string, kind: WrittenKind): RawBuilder<string> {
  const value = sql.ref<string>(column);
  return kind === "boolean" ? sql<string>`iif(${value}, 'yes', 'no')` : sql<string>`${value}`;
}

/** The constraint violation behind an error; undefined for any other error. `names` are the columns that it may be about. */
export function constraintViolation(
  error: unknown,
  names: readonly string[] = [],
): ConstraintViolation | undefined {
  if (!(error instanceof Error) || !("code" in error)) return undefined;
  if (error.code === "SQLITE_CONSTRAINT_UNIQUE") {
    const [, index] = /: index '(.*)'$/.exec(error.message) ?? [];
    const columns = [...error.message.matchAll(/\b[^\s.,:]+\.([^\s.,:]+)/g)].map(
      (found) => found[1] ?? "",
    );
    return { reason: "unique", columns: index ? columnsOfIndex(index, names) : columns };
  }
  // A refusal during a cascade is reported as SQLITE_CONSTRAINT_TRIGGER.
  if (error.message.includes("FOREIGN KEY")) return { reason: "reference", columns: [] };
  if (error.code === "SQLITE_CONSTRAINT_CHECK") {
    const [, check = ""] = /CHECK constraint failed: (\S+)$/.exec(error.message) ?? [];
    return { reason: "check", columns: [], check };
  }
  return undefined;
}
