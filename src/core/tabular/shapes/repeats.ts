import { type Blanks, type Cell, cellText, folded, isEmpty, type Row } from "../cells.ts";
import type { Layout, LayoutColumn } from "../layout.ts";

/*
 * Tables in which a value is written once, and blank cells below it mean the same: the number and the day of a loan in
 * the row of its first item.
 */

/** The fewest rows that tell. */
const fewestRows = 4;

/** Columns at the left of a table whose blank cells may have the value above; none where that isn't so. */
export function repeatedColumns(
  { columns }: Layout,
  data: readonly Row[],
  blanks: Blanks,
): LayoutColumn[] {
  const isBlank = (row: Row, { column }: LayoutColumn) => {
    const cell = row[column] ?? null;
    return isEmpty(cell) || blanks.has(cell);
  };
  const rows = data.filter((row) => columns.some((column) => !isBlank(row, column)));
  const [lead] = columns;
  const [first] = rows;
  if (!lead || !first || rows.length < fewestRows || isBlank(first, lead)) return [];
  const heads = rows.filter((row) => !isBlank(row, lead));
  const below = rows.filter((row) => isBlank(row, lead));
  if (heads.length < 2 || below.length < 2 || heads.length > 0.75 * rows.length) return [];
  const different = new Set(heads.map((row) => folded(cellText(row[lead.column] ?? null))));
  if (different.size < heads.length) return [];
  const others = columns.findIndex((column) => below.some((row) => !isBlank(row, column)));
  const group = columns.slice(0, others);
  // Something has to be in every row, and what is written once is written with the first.
  const isEvery = columns
    .slice(others)
    .some((column) => rows.every((row) => !isBlank(row, column)));
  const isWhole = group.every(
    (column) => heads.filter((row) => !isBlank(row, column)).length >= 0.8 * heads.length,
  );
  return others > 0 && isEvery && isWhole ? group : [];
}

/** Gives blank cells of some columns the value above. */
export class Repeats {
  readonly #last = new Map<number, Cell>();

  constructor(
    readonly columns: readonly number[],
    readonly blanks: Blanks,
  ) {}

  filled(row: Row): Row {
    if (this.columns.length === 0) return row;
    const cells: Cell[] = [...row];
    for (const [at, column] of this.columns.entries()) {
      const cell = row[column] ?? null;
      if (isEmpty(cell) || this.blanks.has(cell)) cells[column] = this.#last.get(column) ?? null;
      else {
        this.#last.set(column, cell);
        // Another loan has no day of the one before.
        for (const later of this.columns.slice(at + 1)) this.#last.delete(later);
      }
    }
    return Array.from(cells, (cell) => cell ?? null);
  }
}
