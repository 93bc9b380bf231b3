import { type Cells, rowOf } from "./cells.ts";

type Cell = HTMLTableCellElement;

/** A rectangle of cells, its edges included. */
interface Rectangle {
  top: number;
  left: number;
  bottom: number;
  right: number;
}

/** The cell that has the focus, and the rectangle that is picked with it. */
export class Selection {
  /** The cell with the focus; undefined before anybody went into the grid. */
  active: Cell | undefined;
  /** Where the rectangle began. */
  #anchor: Cell | undefined;
  readonly #cells: Cells;
  readonly #moved: (cell: Cell, left: HTMLTableRowElement | undefined) => void;

  /** `moved` is told of each cell that is gone to, and of the row that was left for it. */
  constructor(cells: Cells, moved: (cell: Cell, left: HTMLTableRowElement | undefined) => void) {
    this.#cells = cells;
    this.#moved = moved;
    const first = cells.at(0, 0);
    if (first) first.tabIndex = 0;
  }

  /** The rows of cells that are picked: at least the one with the focus. */
  get picked(): Cell[][] {
    const { top, left, bottom, right } = this.rectangle;
    const rows = Array.from({ length: bottom - top + 1 }, (_, at) => top + at);
    const columns = Array.from({ length: right - left + 1 }, (_, at) => left + at);
    return rows.map((row) => columns.flatMap((column) => this.#cells.at(row, column) ?? []));
  }

  get rectangle(): Rectangle {
    const one = this.active ? this.#cells.placeOf(this.active) : { row: 0, column: 0 };
    const other = this.#anchor ? this.#cells.placeOf(this.#anchor) : one;
    return {
      top: Math.min(one.row, other.row),
      bottom: Math.max(one.row, other.row),
      left: Math.min(one.column, other.column),
      right: Math.max(one.column, other.column),
    };
  }

  goTo(cell: Cell | undefined, isExtending = false): void {
    if (!cell) return;
    const before = this.active && rowOf(this.active);
    for (const old of this.#cells.table.querySelectorAll<Cell>('td[tabindex="0"]'))
      old.tabIndex = -1;
    this.active = cell;
    if (!isExtending || !this.#anchor) this.#anchor = cell;
    cell.tabIndex = 0;
    cell.focus();
    this.#show();
    this.#moved(cell, before === rowOf(cell) ? undefined : before);
  }

  /** Goes on by some rows or columns, as far as the grid goes. */
  move(rows: number, columns: number, isExtending = false): void {
    if (!this.active) return;
    const { row, column } = this.#cells.placeOf(this.active);
    this.goTo(this.#nearest(row + rows, column + columns), isExtending);
  }

  /** Goes to the next cell of the row, or to the first one of the next row; false where there is none. */
  moveOn(way: 1 | -1): boolean {
    if (!this.active) return false;
    const { width } = this.#cells;
    const { row, column } = this.#cells.placeOf(this.active);
    const at = row * width + column + way;
    const next = this.#cells.at(Math.floor(at / width), ((at % width) + width) % width);
    if (at < 0 || !next) return false;
    this.goTo(next);
    return true;
  }

  /** Goes to the first cell of the grid, or to the last one. */
  goToEnd(end: "first" | "last", isExtending = false): void {
    this.goTo(
      end === "first"
        ? this.#cells.at(0, 0)
        : this.#nearest(Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY),
      isExtending,
    );
  }

  /** Picks a rectangle, with the focus in its first cell. */
  pick({ top, left, bottom, right }: Rectangle): void {
    this.goTo(this.#cells.at(top, left));
    this.#anchor = this.#nearest(bottom, right);
    this.#show();
  }

  #nearest(row: number, column: number): Cell | undefined {
    return this.#cells.at(
      Math.max(0, Math.min(this.#cells.height - 1, row)),
      Math.max(0, Math.min(this.#cells.width - 1, column)),
    );
  }

  #show(): void {
    for (const old of this.#cells.table.querySelectorAll(".picked")) {
      old.classList.remove("picked");
      old.removeAttribute("aria-selected");
    }
    if (this.#anchor === this.active) return;
    for (const cell of this.picked.flat()) {
      cell.classList.add("picked");
      cell.setAttribute("aria-selected", "true");
    }
  }
}
