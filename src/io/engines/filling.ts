import type { Value } from "../../core/seeding/value.ts";

/** What rows are put into, and what all of them have. */
export interface FillTarget {
  table: string;
  /** The columns that rows have values for, by which they are asked. */
  columns: readonly string[];
  /** The number of the first row; the others follow. Undefined for tables without numbers. */
  first?: number;
  /** The moment at which the rows were made; undefined for tables that don't keep it. */
  moment?: string;
}

/** Bulk-loads ready rows into tables, within the caller's transaction. */
export interface Filler {
  /** The highest number that a row of a table ever had. */
  highest(table: string): Promise<number>;
  /** Inserts rows; each is asked for when it is needed. */
  fill(target: FillTarget, rows: Iterable<Readonly<Record<string, Value>>>): Promise<void>;
  /** Makes a table continue after the numbers that rows were given; last of all, since this may outlive what is reverted. */
  goOn(table: string): Promise<void>;
  /** Sets a column of some rows, by their numbers, to other values. */
  set(
    table: string,
    column: string,
    values: Iterable<readonly [id: number, value: Value]>,
  ): Promise<void>;
}

/** Rows as lists of values, in the order of `columnsOf`. */
export function* valuesOf(
  { columns, first, moment }: FillTarget,
  rows: Iterable<Readonly<Record<string, Value>>>,
): Generator<Value[]> {
  let number = first ?? 0;
  const width = columns.length;
  const before = first === undefined ? 0 : 1;
  for (const row of rows) {
    const values: Value[] = new Array(before + width + (moment === undefined ? 0 : 2));
    if (first !== undefined) values[0] = number++;
    for (let at = 0; at < width; at++) values[before + at] = row[columns[at] as string] as Value;
    if (moment !== undefined) {
      values[before + width] = moment;
      values[before + width + 1] = moment;
    }
    yield values;
  }
}

/** All columns of such rows. */
export function columnsOf({ columns, first, moment }: FillTarget): string[] {
  return [
    ...(first === undefined ? [] : ["id"]),
    ...columns,
    ...(moment === undefined ? [] : ["created_at", "updated_at"]),
  ];
}

/** Lists of some items at a time. */
export function* inPieces<Item>(items: Iterable<Item>, size: number): Generator<Item[]> {
  let piece: Item[] = [];
  for (const item of items) {
    piece.push(item);
    if (piece.length < size) continue;
    yield piece;
    piece = [];
  }
  if (piece.length > 0) yield piece;
}

/** How text files for a database write a value: columns apart by tabs, rows by line feeds. */
export type CellWriter = (value: Value) => string;

const special = /[\\\t\n\r]/;
const escapes: Readonly<Record<string, string>> = {
  "\\": "\\\\",
  "\t": "\\t",
  "\n": "\\n",
  "\r": "\\r",
};

/** A cell of such a file; `truth` has the words for false and true. */
export function cellWriter(truth: readonly [no: string, yes: string]): CellWriter {
  return (value) => {
    if (value === null) return "\\N";
    if (typeof value === "boolean") return truth[value ? 1 : 0];
    if (typeof value === "number") return String(value);
    return special.test(value)
      ? value.replace(/[\\\t\n\r]/g, (sign) => escapes[sign] ?? sign)
      : value;
  };
}

/** The text of such a file, in pieces of some size. */
export function* textOf(
  target: FillTarget,
  rows: Iterable<Readonly<Record<string, Value>>>,
  write: CellWriter,
): Generator<string> {
  const { columns, first, moment } = target;
  const tail = moment === undefined ? "" : `\t${write(moment)}\t${write(moment)}`;
  let number = first ?? 0;
  let text = "";
  for (const row of rows) {
    let line = first === undefined ? "" : String(number++);
    for (let at = 0; at < columns.length; at++) {
      if (at > 0 || first !== undefined) line += "\t";
      line += write(row[columns[at] as string] as Value);
    }
    text += `${line}${tail}\n`;
    if (text.length > 60_000) {
      yield text;
      text = "";
    }
  }
  if (text) yield text;
}
