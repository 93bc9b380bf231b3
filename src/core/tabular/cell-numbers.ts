import { type Cell, CellNumbers } from "./cells.ts";

/** The most columns, cells and characters that get numbers. */
const mostColumns = 600;
const mostInColumn = 30_000;
const mostInSheet = 1_000_000;
const longest = 80;
/** After so many cells of a full column it is asked whether enough of them have numbers. */
const trial = 50_000;

/** The different cells of a column, by their numbers. */
interface PoolColumn {
  cells: Cell[];
  plain: Map<string | number | boolean | null, number>;
  /** Those with more than a value, as JSON. */
  marked: Map<string, number>;
  tried: number;
  found: number;
  isGivenUp: boolean;
}

/** Gives the cells of a sheet numbers. */
export class CellPool {
  readonly #columns: PoolColumn[] = [];
  #size = 0;

  /**
   * The numbers of the cells of rows, written into `room` if there is enough; undefined where rows are too wide, or have no
   * cells. Cells that are the same become one.
   */
  numbersOf(rows: readonly Cell[][], room: Int32Array): CellNumbers | undefined {
    let width = 0;
    for (const row of rows) if (row.length > width) width = row.length;
    if (width === 0 || width > mostColumns) return undefined;
    while (this.#columns.length < width) this.#columns.push(newColumn());
    const size = rows.length * width;
    const all = room.length < size ? new Int32Array(size) : room.subarray(0, size);
    all.fill(-1);
    for (let at = 0; at < rows.length; at++) {
      const row = rows[at] as Cell[];
      for (let column = 0; column < row.length; column++) {
        const pool = this.#columns[column] as PoolColumn;
        if (pool.isGivenUp) continue;
        const number = this.#numberOf(pool, row[column] as Cell);
        if (number < 0) continue;
        all[at * width + column] = number;
        row[column] = pool.cells[number] as Cell;
      }
    }
    return new CellNumbers(width, all);
  }

  /** The cell of a column that has a number. */
  cellOf(column: number, number: number): Cell {
    return this.#columns[column]?.cells[number] ?? null;
  }

  #numberOf(pool: PoolColumn, cell: Cell): number {
    const isPlain = typeof cell !== "object" || cell === null;
    const key = isPlain ? cell : JSON.stringify(cell);
    if (typeof key === "string" && key.length > longest) return -1;
    const numbers = (isPlain ? pool.plain : pool.marked) as Map<Cell, number>;
    const known = numbers.get(key);
    if (pool.cells.length >= mostInColumn || this.#size >= mostInSheet) {
      judge(pool, known !== undefined);
      return known ?? -1;
    }
    if (known !== undefined) return known;
    const number = pool.cells.length;
    const kept = typeof cell === "string" ? detached(cell) : cell;
    pool.cells.push(kept);
    numbers.set(isPlain ? kept : key, number);
    this.#size++;
    return number;
  }
}

/** A text of its own: a part of a larger one would keep all of that in memory. */
function detached(text: string): string {
  return ` ${text}`.slice(1);
}

function newColumn(): PoolColumn {
  return {
    cells: [],
    plain: new Map(),
    marked: new Map(),
    tried: 0,
    found: 0,
    isGivenUp: false,
  };
}

/** Gives a full column up in which hardly any cell has a number. */
function judge(pool: PoolColumn, isFound: boolean): void {
  pool.tried++;
  if (isFound) pool.found++;
  if (pool.tried < trial) return;
  if (pool.found * 4 < pool.tried) pool.isGivenUp = true;
  pool.tried = 0;
  pool.found = 0;
}
