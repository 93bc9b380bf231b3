import type { Cell, Row } from "./cells.ts";
import { findNumber } from "./numbers.ts";

/** What a row of totals has of each column. */
export type TotalFigure = "sum" | "average" | "count";

/** A number under either reading of its signs, and how many digits it has behind them. */
interface Read {
  point: number;
  comma: number;
  places: number;
}

const mostKnown = 10_000;
const mostTexts = 200;
/** Digits that are the same number under either reading, or as good as. */
const plain = /^\d{1,15}(?:\.\d{1,2})?$/;

/** The sums of columns, since the beginning and since the last row of totals. */
export class ColumnSums {
  readonly #all: Float64Array[];
  readonly #group: Float64Array[];
  readonly #known = new Map<string, Read | undefined>();
  /** Cells of each column that were no numbers while it had none: a column of texts is left alone. */
  readonly #texts: Int32Array;
  #rows = 0;
  #grouped = 0;

  constructor(readonly columns: readonly number[]) {
    const zeros = () => new Float64Array(columns.length);
    // By either reading, and how many numbers there were.
    this.#all = [zeros(), zeros(), zeros()];
    this.#group = [zeros(), zeros(), zeros()];
    this.#texts = new Int32Array(columns.length);
  }

  add(row: Row): void {
    this.#rows++;
    this.#grouped++;
    const texts = this.#texts;
    for (let at = 0; at < this.columns.length; at++) {
      if ((texts[at] as number) > mostTexts) continue;
      const cell = row[this.columns[at] as number] ?? null;
      if (cell === null) continue;
      // Nearly all numbers are plain.
      if (typeof cell === "string" && plain.test(cell)) {
        const number = Number(cell);
        texts[at] = -1;
        addTo(this.#all, at, number, number);
        addTo(this.#group, at, number, number);
        continue;
      }
      const read = this.#read(cell);
      if (!read) {
        if ((texts[at] as number) >= 0) texts[at] = (texts[at] as number) + 1;
        continue;
      }
      texts[at] = -1;
      addTo(this.#all, at, read.point, read.comma);
      addTo(this.#group, at, read.point, read.comma);
    }
  }

  /** Begins another group, below a row of subtotals. */
  beginGroup(): void {
    for (const sums of this.#group) sums.fill(0);
    this.#grouped = 0;
  }

  /** How many numbers of a row are such figures of what is above them, and how many aren't. */
  compare(row: Row, figure: TotalFigure): { right: number; wrong: number } {
    let right = 0;
    let wrong = 0;
    for (let at = 0; at < this.columns.length; at++) {
      const read = this.#read(row[this.columns[at] as number] ?? null);
      if (!read) continue;
      if (this.#isFigure(read, at, figure)) right++;
      else wrong++;
    }
    return { right, wrong };
  }

  #isFigure({ point, comma, places }: Read, at: number, figure: TotalFigure): boolean {
    const near = (one: number, other: number) =>
      Math.abs(one - other) <= 0.5 / 10 ** places + 1e-9 * Math.abs(other);
    const isFigureOf = (sums: readonly Float64Array[], rows: number): boolean => {
      const numbers = sums[2]?.[at] ?? 0;
      return [point, comma].some((value, reading) => {
        const sum = sums[reading]?.[at] ?? 0;
        if (rows === 0) return false;
        if (figure === "count") return value === rows || value === numbers;
        return near(value, figure === "sum" ? sum : sum / numbers);
      });
    };
    return isFigureOf(this.#all, this.#rows) || isFigureOf(this.#group, this.#grouped);
  }

  #read(cell: Cell): Read | undefined {
    if (typeof cell === "number") return { point: cell, comma: cell, places: placesIn(cell) };
    if (typeof cell === "object" && cell !== null && "number" in cell) {
      return { point: cell.number, comma: cell.number, places: placesIn(cell.number) };
    }
    if (typeof cell !== "string" || cell.length > 30 || !/\d/.test(cell)) return undefined;
    if (this.#known.has(cell)) return this.#known.get(cell);
    const found = findNumber(cell.trim());
    // Three digits may be thousands.
    const written = found ? Math.max(found.pointWritten, found.commaWritten) : 0;
    const read = found && {
      point: Number(found.point ?? found.comma),
      comma: Number(found.comma ?? found.point),
      places: written === 3 ? 0 : written,
    };
    if (this.#known.size < mostKnown) this.#known.set(cell, read);
    return read;
  }
}

function addTo(
  [points, commas, counts]: readonly Float64Array[],
  at: number,
  point: number,
  comma: number,
): void {
  if (points) points[at] = (points[at] as number) + point;
  if (commas) commas[at] = (commas[at] as number) + comma;
  if (counts) counts[at] = (counts[at] as number) + 1;
}

function placesIn(number: number): number {
  const at = String(number).indexOf(".");
  return at < 0 ? 0 : Math.min(6, String(number).length - at - 1);
}
