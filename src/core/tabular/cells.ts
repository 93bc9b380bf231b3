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

/** Rows of a sheet, the first of which has this number, counted from 1. */
export interface RowBatch {
  first: number;
  rows: readonly Row[];
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

/** What people write for nothing, in small letters. */
export const blankSpellings = ["-", "--", "–", "—", "?", "??", "???", "n/a", "n.a.", "#n/a"];

/** Whether the cell is empty, or holds nothing but space. */
export function isEmpty(cell: Cell | undefined): boolean {
  return cell === null || cell === undefined || (typeof cell === "string" && cell.trim() === "");
}

/** Two spellings that differ by case, accents' encoding and space are the same when folded. */
export function folded(text: string): string {
  return text.trim().normalize("NFC").toLowerCase().replace(/\s+/gu, " ");
}
