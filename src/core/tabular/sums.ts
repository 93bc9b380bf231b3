import type { Cell, CellNumbers, Row } from "./cells.ts";
import { findNumber } from "./numbers.ts";

/** What a row of totals has of each column. */
export type TotalFigure = "sum" | "average" | "count";

/** A number under either reading of its signs. */
interface Addend {
  point: number;
  comma: number;
}

/** With how many digits it has behind them. */
interface Read extends Addend {
  places: number;
}

const mostKnown = 10_000;
const mostTexts = 200;
/** Digits that are the same number under either reading, or as good as. */
const plain = /^\d{1,15}(?:\.\d{1,2})?$/;

/** The sums of columns, since the beginning and since the last row of totals. */
export class ColumnSums {
  /** Of the groups above, and of the one that goes on. */
  readonly #above: Float64Array[];
  readonly #group: Float64Array[];
  readonly #known = new Map<string, Read | undefined>();
  /** What was read, by the numbers of the cells of each column; null for what is no number. */
  readonly #numbered: (Addend | null)[][];
  /** Cells of each column that were no numbers while it had none: a column of texts is left alone. */
  readonly #texts: Int32Array;
  #rows = 0;
  #grouped = 0;

  constructor(readonly columns: readonly number[]) {
    const zeros = () => new Float64Array(columns.length);
    // By either reading, and how many numbers there were.
    this.#above = [zeros(), zeros(), zeros()];
    this.#group = [zeros(), zeros(), zeros()];
    this.#texts = new Int32Array(columns.length);
    this.#numbered = columns.map(() => []);
  }

  /** Adds a row, whose cells may have numbers: those of the row `at` a place. */
  add(row: Row, numbers?: CellNumbers, at = 0): void {
    this.#rows++;
    this.#grouped++;
    const texts = this.#texts;
    for (let place = 0; place < this.columns.length; place++) {
      if ((texts[place] as number) > mostTexts) continue;
      const column = this.columns[place] as number;
      const cell = row[column] ?? null;
      if (cell === null) continue;
      const number = numbers ? numbers.of(at, column) : -1;
      const read = number < 0 ? this.#toAdd(cell) : this.#toAddOnce(place, number, cell);
      if (!read) {
        if ((texts[place] as number) >= 0) texts[place] = (texts[place] as number) + 1;
        continue;
      }
      texts[place] = -1;
      addTo(this.#group, place, read);
    }
  }

  #toAddOnce(place: number, number: number, cell: Cell): Addend | null {
    const known = this.#numbered[place] as (Addend | null)[];
    const before = known[number];
    if (before !== undefined) return before;
    const found = this.#toAdd(cell) ?? null;
    known[number] = found;
    return found;
  }

  #toAdd(cell: Cell): Addend | undefined {
    // Nearly all numbers are plain.
    if (typeof cell !== "string" || !plain.test(cell)) return this.#read(cell);
    return { point: Number(cell), comma: Number(cell) };
  }

  /** Begins another group, below a row of subtotals. */
  beginGroup(): void {
    for (const [reading, sums] of this.#group.entries()) {
      const above = this.#above[reading];
      sums.forEach((sum, at) => {
        if (above) above[at] = (above[at] as number) + sum;
      });
      sums.fill(0);
    }
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
    const isFigureOf = (all: readonly (readonly Float64Array[])[], rows: number): boolean => {
      const sumOf = (reading: number) =>
        all.reduce((sum, sums) => sum + (sums[reading]?.[at] ?? 0), 0);
      const numbers = sumOf(2);
      return [point, comma].some((value, reading) => {
        const sum = sumOf(reading);
        if (rows === 0) return false;
        if (figure === "count") return value === rows || value === numbers;
        return near(value, figure === "sum" ? sum : sum / numbers);
      });
    };
    return (
      isFigureOf([this.#above, this.#group], this.#rows) || isFigureOf([this.#group], this.#grouped)
    );
  }

  #read(cell: Cell): Read | undefined {
    if (typeof cell === "number") return { point: cell, comma: cell, places: placesIn(cell) };
    if (typeof cell === "object" && cell !== null && "number" in cell) {
      return { point: cell.number, comma: cell.number, places: placesIn(cell.number) };
    }
    if (typeof cell !== "string" || cell.length > 30) return undefined;
    if (!/\d/.test(cell)) return undefined;
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
  { point, comma }: Addend,
): void {
  if (points) points[at] = (points[at] as number) + point;
  if (commas) commas[at] = (commas[at] as number) + comma;
  if (counts) counts[at] = (counts[at] as number) + 1;
}

function placesIn(number: number): number {
  const at = String(number).indexOf(".");
  return at < 0 ? 0 : Math.min(6, String(number).length - at - 1);
}
