/**
 * What a cell of a sheet holds: what somebody typed, or what a workbook says of it. Only values that
 * survive being written as JSON, since rows wait in files while a sheet is looked at.
 */
export type Cell = string | number | boolean | null | Marked | Stamp | Fault;

/** A number that its workbook shows with a percent sign, a currency or a unit behind it; 12.5 for 12.5 %. */
export interface Marked {
  number: number;
  mark: string;
}

/** A day `2026-05-03`, a time `09:30`, or both `2026-05-03T09:30`, from a workbook that knows it to be one. */
export interface Stamp {
  stamp: string;
}

/** A cell in error: `#N/A`. */
export interface Fault {
  fault: string;
}

export type Row = readonly Cell[];

/**
 * The numbers of the cells of some rows. Cells of a column that are the same have the same number, so that what comes again
 * is looked at once.
 */
export class CellNumbers {
  constructor(
    readonly width: number,
    /** Row by row; -1 for a cell without a number. */
    readonly all: Int32Array,
  ) {}

  /** The number of a cell, by the place of its row among the others; -1 for none. */
  of(row: number, column: number): number {
    if (column < 0 || column >= this.width) return -1;
    return this.all[row * this.width + column] as number;
  }
}

/** Rows of a sheet, the first of which has this number, counted from 1. */
export interface RowBatch {
  first: number;
  rows: readonly Row[];
  /** The numbers of their cells, where cells have some; until the next rows are read. */
  numbers?: CellNumbers;
}

/** The name of a column: 0 is `A`, 26 is `AA`. */
export function columnLetters(column: number): string {
  let letters = "";
  for (let rest = column + 1; rest > 0; rest = Math.floor((rest - 1) / 26)) {
    letters = String.fromCharCode(65 + ((rest - 1) % 26)) + letters;
  }
  return letters;
}

/** The column of a name: `AA` is 26. Undefined for what is no such name. */
export function columnNumber(letters: string): number | undefined {
  if (!/^[A-Z]{1,3}$/i.test(letters)) return undefined;
  return [...letters.toUpperCase()].reduce((sum, c) => sum * 26 + c.charCodeAt(0) - 64, 0) - 1;
}

/** The address of a cell, `C17`, of a column counted from 0 and a row counted from 1. */
export function address(column: number, row: number): string {
  return `${columnLetters(column)}${row}`;
}

/** How the cells and the rows of a table are called. */
export interface Addresses {
  cell(column: number, row: number): string;
  row(row: number): string;
}

export const plainAddresses: Addresses = { cell: address, row: (row) => `row ${row}` };

/** What a person reads in the cell. */
export function cellText(cell: Cell): string {
  if (cell === null) return "";
  if (typeof cell === "string") return cell;
  if (typeof cell === "number") return numberText(cell);
  if (typeof cell === "boolean") return cell ? "TRUE" : "FALSE";
  if ("number" in cell) {
    const space = cell.mark === "%" ? "" : " ";
    return `${numberText(cell.number)}${space}${cell.mark}`;
  }
  return "stamp" in cell ? cell.stamp.replace("T", " ") : cell.fault;
}

/** A number in digits, as exact as a spreadsheet shows it: 15 of them, and no exponent. */
export function numberText(number: number): string {
  const text = String(Number(number.toPrecision(15)));
  if (!text.includes("e")) return text;
  return number.toLocaleString("en", { useGrouping: false, maximumSignificantDigits: 15 });
}

/** A text within a sentence: in quotes, and not too long. */
export function quote(text: string): string {
  return `"${text.length > 60 ? `${text.slice(0, 57)}...` : text}"`;
}

/** A text with its line ends and other space made one space each. */
export function oneLine(text: string): string {
  return text.trim().replace(/\s+/gu, " ");
}

/** What people write for nothing, in small letters. */
export const blankSpellings = [
  "-",
  "--",
  "–",
  "—",
  "?",
  "??",
  "???",
  "n/a",
  "n.a.",
  "#n/a",
  "k.a.",
];

/** Whether the cell is empty, or holds nothing but space. */
export function isEmpty(cell: Cell | undefined): boolean {
  if (cell === null || cell === undefined) return true;
  if (typeof cell !== "string") return false;
  return (
    cell === "" ||
    (cell.charCodeAt(0) <= 32 || cell.charCodeAt(0) >= 160 ? cell.trim() === "" : false)
  );
}

/** Tells blank cells from others: empty ones, and those that say one of some words for nothing. */
export class Blanks {
  readonly #words: ReadonlySet<string>;
  readonly #starts: ReadonlySet<number>;
  readonly #longest: number;

  constructor(words: Iterable<string>) {
    this.#words = new Set([...words].map(folded));
    // Nearly every cell is told by its first character alone.
    const starts = [...this.#words].flatMap((word) => [
      word.charCodeAt(0),
      word.toUpperCase().charCodeAt(0),
    ]);
    this.#starts = new Set(starts);
    this.#longest = Math.max(0, ...[...this.#words].map(({ length }) => length));
  }

  /** An error is no blank, even one that says `#N/A`. */
  has(cell: Cell): boolean {
    if (cell === null) return true;
    if (typeof cell === "string") return this.#hasText(cell);
    return typeof cell === "object" && "fault" in cell ? false : this.#hasText(cellText(cell));
  }

  #hasText(text: string): boolean {
    if (text === "") return true;
    const first = text.charCodeAt(0);
    const spaced = first <= 32 || first >= 160;
    if (!spaced && !this.#starts.has(first)) return false;
    const word = text.trim();
    return word === "" || (word.length <= this.#longest && this.#words.has(folded(word)));
  }
}

const plainText = /^(?:[!-@[-~]+(?: [!-@[-~]+)*)$/;
const asciiText = /^(?:[!-~]+(?: [!-~]+)*)$/;

/** Two spellings that differ by case, accents' encoding and space are the same when folded. */
export function folded(text: string): string {
  if (plainText.test(text)) return text;
  if (asciiText.test(text)) return text.toLowerCase();
  return text.trim().normalize("NFC").toLowerCase().replace(/\s+/gu, " ");
}
