import type { Buffer } from "node:buffer";
import { type CellObject, utils, write } from "@e965/xlsx";
import iconv from "iconv-lite";

/** A cell as it is written, and what a careful person stores of it: null for nothing. */
export type Pair = readonly [written: Written, stored: Stored];
/** What a workbook or a text has in a cell; null for an empty one. */
export type Written = string | number | boolean | null | CellObject;
/** `ask` where a careful person would ask somebody. */
export type Stored = string | null | typeof ask;
export const ask = Symbol("ask");

/** A column of a sheet: its header, the type that it is, and its cells. */
export interface CorpusColumn {
  header: string;
  /** How the definition of its field begins: `decimal`, `one Station`. */
  is: string;
  cells: readonly Pair[];
}

/** A sheet of some field of work, and what a careful person makes of it. */
export interface CorpusSheet {
  file: string;
  /** The field of work, and the language of the sheet. */
  about: string;
  language: string;
  columns: readonly CorpusColumn[];
  /** Lines above the header. */
  above?: readonly string[];
  bytes: Buffer;
}

/** A column whose cells are stored as they are written, where they are no pairs. */
export function column(
  header: string,
  is: string,
  ...cells: readonly (Pair | string | null)[]
): CorpusColumn {
  return {
    header,
    is,
    cells: cells.map(
      (cell): Pair => (typeof cell === "object" && cell !== null ? cell : [cell, cell]),
    ),
  };
}

interface Text {
  file: string;
  about: string;
  language: string;
  delimiter?: string;
  encoding?: string;
  /** Lines above the header and below the rows. */
  above?: readonly string[];
  below?: readonly string[];
  columns: readonly CorpusColumn[];
}

/** A sheet in a text file. */
export function text({
  delimiter = ",",
  encoding = "utf-8",
  above = [],
  below = [],
  ...sheet
}: Text): CorpusSheet {
  const quoted = (value: string) =>
    value.includes(delimiter) || /["\n]/.test(value) ? `"${value.replaceAll('"', '""')}"` : value;
  const rows = rowsOf(sheet.columns).map((row) =>
    row.map((cell) => quoted(cell === null ? "" : String(cell))).join(delimiter),
  );
  const lines = [...above, ...rows, ...below];
  return { ...sheet, above, bytes: iconv.encode(`${lines.join("\r\n")}\r\n`, encoding) };
}

/** A sheet in a workbook. */
export function workbook(sheet: {
  file: string;
  about: string;
  language: string;
  sheet: string;
  columns: readonly CorpusColumn[];
}): CorpusSheet {
  const book = utils.book_new();
  utils.book_append_sheet(book, utils.aoa_to_sheet(rowsOf(sheet.columns)), sheet.sheet);
  return { ...sheet, bytes: write(book, { type: "buffer", bookType: "xlsx" }) };
}

/** A number as a workbook shows it by a format. */
export function shown(value: number, format: string): CellObject {
  return { t: "n", v: value, z: format };
}

function rowsOf(columns: readonly CorpusColumn[]): Written[][] {
  const count = Math.max(...columns.map(({ cells }) => cells.length));
  const rows = Array.from({ length: count }, (_, at) =>
    columns.map(({ cells }) => cells[at]?.[0] ?? null),
  );
  return [columns.map(({ header }) => header), ...rows];
}
