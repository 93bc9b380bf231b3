import {
  type Cell,
  type CellNumbers,
  cellText,
  columnLetters,
  folded,
  isEmpty,
  oneLine,
  type Row,
} from "./cells.ts";
import { findDate } from "./dates.ts";
import { ColumnSums, type TotalFigure } from "./sums.ts";
import { isUnit } from "./titles.ts";
import { typeBit, typeOfCell } from "./type-detection.ts";

/** Where the table of a sheet is. Rows are counted from 1, columns from 0. */
export interface Layout {
  /** The lines of the header; undefined where there is none. */
  header: { first: number; last: number } | undefined;
  /** The first row of data. */
  firstRow: number;
  /** The last one, where somebody said so; the sheet's end otherwise. */
  lastRow?: number;
  columns: LayoutColumn[];
  /** Columns whose blank cells have the value above. */
  repeat?: readonly number[];
  /** How its rows become records, where they aren't one each. */
  reshaping?: Reshaping;
}

export interface LayoutColumn {
  column: number;
  /** What the header says, its lines put together; blank where it says nothing. */
  header: string;
}

/** How the rows of a table become records. */
export interface Reshaping {
  /** The columns of the records. */
  columns: LayoutColumn[];
  /** Columns whose cells become records of their own. */
  unpivot?: Unpivot;
  /** The name of the sheet, in a column of its own. */
  name?: { column: number; value: string };
  /** Columns that are made of the texts of others. */
  joined?: readonly JoinedColumn[];
}

export interface JoinedColumn {
  column: number;
  of: readonly number[];
}

export interface Unpivot {
  /** The made column that says which group of columns a value is from, and the made columns of the values. */
  title: number;
  values: readonly number[];
  groups: readonly SeriesGroup[];
  /** The columns that each record keeps. */
  keep: ReadonlySet<number>;
}

/** Columns that are one step of a series, such as those of January: one for each value. */
export interface SeriesGroup {
  label: string;
  columns: readonly (number | undefined)[];
}

/** Cells that are one in a workbook, all four bounds included; rows from 1, columns from 0. */
export interface Merge {
  top: number;
  left: number;
  bottom: number;
  right: number;
}

/** How a plan names a column: by its title, else by its letters. */
export function referenceTo(column: number, columns: readonly LayoutColumn[]): string {
  const header = columns.find((each) => each.column === column)?.header ?? "";
  const alike = columns.filter((each) => folded(each.header) === folded(header));
  return header !== "" && alike.length === 1 ? header : `column ${columnLetters(column)}`;
}

/** How many rows are looked at to find the table. */
export const headRows = 60;

const looksTyped =
  typeBit.point |
  typeBit.comma |
  typeBit.dayFirst |
  typeBit.monthFirst |
  typeBit.time |
  typeBit.onlySpan |
  typeBit.email |
  typeBit.url;

/** Finds the table among the first rows of a sheet; undefined when they are all blank. */
export function findLayout(
  head: readonly Row[],
  merges: readonly Merge[] = [],
): Layout | undefined {
  const filled = head.map(filledColumns);
  const most = Math.max(0, ...filled.map(({ length }) => length));
  if (most === 0) return undefined;
  const main = filled.findIndex((columns, at) =>
    isHeader(head, filled, at, columns.length, most, merges),
  );
  if (main < 0) {
    const start = filled.findIndex(({ length }) => length * 2 >= most);
    return { header: undefined, firstRow: start + 1, columns: tableColumns(head, start, []) };
  }
  const grouped = isGroupLine(head, filled, main, merges) ? main - 1 : main;
  const above =
    grouped < main && isUpperLine(head, filled, grouped, merges) ? grouped - 1 : grouped;
  const below = grouped === main && isSecondLine(head, filled, main, merges) ? main + 1 : main;
  const titles = headerTexts(head.slice(above, below + 1), above, merges);
  return {
    header: { first: above + 1, last: below + 1 },
    firstRow: below + 2,
    columns: tableColumns(head, below + 1, titles),
  };
}

/** The columns and titles of a table whose place is known. */
export function layoutAt(
  head: readonly Row[],
  header: Layout["header"] | null,
  rows: { first?: number; last?: number },
  merges: readonly Merge[] = [],
): Layout {
  const lines = header ? head.slice(header.first - 1, header.last) : [];
  const titles = header ? headerTexts(lines, header.first - 1, merges) : [];
  const firstRow = rows.first ?? (header?.last ?? 0) + 1;
  return {
    header: header ?? undefined,
    firstRow,
    ...(rows.last !== undefined && { lastRow: rows.last }),
    columns: tableColumns(head, firstRow - 1, titles),
  };
}

function filledColumns(row: Row): number[] {
  return row.flatMap((cell, column) => (isEmpty(cell) ? [] : [column]));
}

/** Whether numbers among titles are years in a row, as those of a table with a column a year. */
function areYears(cells: readonly (Cell | undefined)[]): boolean {
  const years = cells.filter((cell) => typeof cell === "number");
  const step = (years[1] ?? 0) - (years[0] ?? 0);
  return (
    years.length >= 2 &&
    Math.abs(step) === 1 &&
    years.every((year, at) => year >= 1900 && year <= 2100 && year === (years[0] ?? 0) + at * step)
  );
}

/** Whether cells are days in their order, as titles of a table with a column a day. */
function areDays(cells: readonly (Cell | undefined)[]): boolean {
  const days = cells.map((cell) => {
    if (cell === null || cell === undefined) return undefined;
    if (typeof cell === "object" && "stamp" in cell) return cell.stamp;
    return typeof cell === "string" ? findDate(cell.trim())?.dayFirst : undefined;
  });
  return (
    days.length >= 2 &&
    days.every((day, at) => day !== undefined && (at === 0 || day > (days[at - 1] ?? "")))
  );
}

function isTitleText(cell: Cell | undefined): boolean {
  if (typeof cell !== "string" || cell.trim().length > 60) return false;
  const { bits } = typeOfCell(cell);
  return (bits & looksTyped) === 0 || /^(19|20)\d\d$/.test(cell.trim());
}

/** Whether a row can be the header: words in nearly every column, none of which is data below. */
function isHeader(
  head: readonly Row[],
  filled: number[][],
  at: number,
  count: number,
  most: number,
  merges: readonly Merge[],
): boolean {
  const row = head[at] ?? [];
  const columns = filled[at] ?? [];
  const next = filled.slice(at + 1, at + 11).filter(({ length }) => length > 0);
  if (next.length === 0)
    return count === most && columns.every((column) => isTitleText(row[column]));
  const typical = [...next].sort((a, b) => a.length - b.length)[next.length >> 1]?.length ?? 0;
  if (count < Math.min(2, most) || count < 0.6 * typical) return false;
  const texts = columns.map((column) => row[column]);
  const years = areYears(texts) && texts.some((cell) => typeof cell === "string");
  const others = texts.filter((cell) => !isTitleText(cell));
  const isDated = others.length < texts.length && areDays(others);
  if (!isDated && others.some((cell) => !(years && typeof cell === "number"))) return false;
  const words = texts.map((cell) => folded(cellText(cell ?? null)));
  // Below groups, the same titles come again.
  const isDistinct = new Set(words).size >= 0.6 * words.length;
  if (!isDistinct && !isGroupLine(head, filled, at, merges)) return false;
  // A heading isn't among the values of its column, unless the whole header is repeated.
  const below = head
    .slice(at + 1)
    .filter(
      (other) =>
        !columns.every(
          (column) => folded(cellText(other[column] ?? null)) === words[columns.indexOf(column)],
        ),
    );
  const repeated = columns.filter((column, index) =>
    below.some(
      (other) => typeof other[column] === "string" && folded(other[column]) === words[index],
    ),
  );
  return repeated.length * 2 < columns.length;
}

/** Whether the line above the header groups its columns: several words, or one over several columns. */
function isGroupLine(
  head: readonly Row[],
  filled: number[][],
  main: number,
  merges: readonly Merge[],
): boolean {
  const columns = filled[main - 1] ?? [];
  const row = head[main - 1];
  if (!row || columns.length === 0 || !columns.every((column) => isTitleText(row[column])))
    return false;
  const width = filled[main]?.length ?? 0;
  const spanning = merges.filter(({ top, left, right }) => top === main && right > left);
  if (columns.length >= 2) return columns.length <= width;
  return spanning.some(({ left, right }) => right - left + 1 < width);
}

/** Whether the line above a line of groups groups these in turn: over each of its words is one of theirs. */
function isUpperLine(
  head: readonly Row[],
  filled: number[][],
  groups: number,
  merges: readonly Merge[],
): boolean {
  const columns = filled[groups - 1] ?? [];
  const below = new Set(filled[groups]);
  const isOver = columns.length >= 2 && columns.every((column) => below.has(column));
  return (isOver || columns.length === 1) && isGroupLine(head, filled, groups, merges);
}

/** Whether a second line of titles follows: words over columns whose data are none, beside gaps of the first. */
function isSecondLine(
  head: readonly Row[],
  filled: number[][],
  main: number,
  merges: readonly Merge[],
): boolean {
  const row = head[main + 1];
  const columns = filled[main + 1] ?? [];
  if (!row || columns.length === 0 || !columns.every((column) => isTitleText(row[column])))
    return false;
  const above = new Set(filled[main]);
  const merged = merges.some(
    ({ top, left, right, bottom }) => top === main + 1 && (right > left || bottom > top),
  );
  const fillsGap = columns.some((column) => !above.has(column));
  const units = columns.every((column) => isUnit(cellText(row[column] ?? null).trim()));
  if (!merged && !fillsGap && !units) return false;
  const data = head.slice(main + 2, main + 12);
  return columns.some((column) => {
    const cells = data.map((other) => other[column]).filter((cell) => !isEmpty(cell));
    const typed = cells.filter(
      (cell) => (typeOfCell(cell as Exclude<Cell, null>).bits & looksTyped) !== 0,
    );
    return cells.length > 0 && typed.length * 2 > cells.length;
  });
}

/** The titles by column: the lines above one another put together, groups spread over their columns. */
function headerTexts(
  lines: readonly Row[],
  firstIndex: number,
  merges: readonly Merge[],
): string[] {
  const width = Math.max(0, ...lines.map(({ length }) => length));
  const spread = lines.map((line, index) => {
    const texts = Array.from({ length: width }, (_, column) =>
      oneLine(cellText(line[column] ?? null)),
    );
    const number = firstIndex + index + 1;
    for (const { top, left, bottom, right } of merges) {
      if (top <= number && number <= bottom) texts.fill(texts[left] ?? "", left, right + 1);
    }
    // Without merged cells, a group continues to the right as long as nothing is there but titles below.
    if (merges.length === 0 && index < lines.length - 1) {
      for (let column = 1; column < width; column++) {
        const begins = lines.slice(0, index).some((upper) => !isEmpty(upper[column]));
        const isBelow = lines.slice(index + 1).some((lower) => !isEmpty(lower[column]));
        if (texts[column] === "" && isBelow && !begins) texts[column] = texts[column - 1] ?? "";
      }
    }
    return texts;
  });
  // Units below the titles go with them as in `Weight (kg)`.
  const below = lines.slice(1).flatMap((line) => line.filter((cell) => !isEmpty(cell)));
  const units = below.length > 0 && below.every((cell) => isUnit(cellText(cell).trim()));
  return Array.from({ length: width }, (_, column) => {
    const parts = spread
      .map((texts) => texts[column] ?? "")
      .filter(Boolean)
      .map((part, at) => (at > 0 && units ? `(${part})` : part));
    return parts.filter((part, index) => parts.indexOf(part) === index).join(" ");
  });
}

/** The columns that have a title, or enough data to be one of the table. */
function tableColumns(
  head: readonly Row[],
  dataIndex: number,
  titles: readonly string[],
): LayoutColumn[] {
  const data = head.slice(dataIndex).filter((row) => row.some((cell) => !isEmpty(cell)));
  const width = Math.max(titles.length, ...data.map(({ length }) => length), 0);
  const titled = titles.flatMap((title, column) => (title ? [column] : []));
  const [left = 0, right = width - 1] = titled.length > 0 ? [titled[0], titled.at(-1)] : [];
  const columns: LayoutColumn[] = [];
  let gap = false;
  for (let column = 0; column < width; column++) {
    const header = titles[column] ?? "";
    const filled = data.filter((row) => !isEmpty(row[column])).length;
    const inside = column > left && column < right;
    const blank = header === "" && filled === 0;
    // A word behind a blank column, with nothing below it, is beside the table.
    if (header !== "" && filled === 0 && gap && columns.length > 0) continue;
    gap = blank;
    const belongs =
      header !== "" || (inside ? filled > 0 : filled >= Math.max(1, 0.3 * data.length));
    if (belongs) columns.push({ column, header });
  }
  return columns;
}

/** What a row below the header is. */
export type RowKind = "data" | "blank" | "total" | "note" | "header again" | "beside";

/** The kinds of row that are left out of the data. */
export const leftOutKinds = ["total", "note", "header again"] as const;
export type LeftOutKind = (typeof leftOutKinds)[number];

const totalWords =
  /^(grand |sub-?)?(totals?|sum|average|mean|count|subtotal|summe|gesamt|zwischensumme|mittelwert|suma|subtotal|totales|promedio|media|somme|moyenne|totale|totaux|soma|totaal)( [\p{L} ]{0,30})?:?$/iu;

function figureNamed(word: string): TotalFigure {
  if (/average|mean|mittelwert|promedio|media|moyenne/i.test(word)) return "average";
  return /count/i.test(word) ? "count" : "sum";
}

/** Tells the rows of data from what else is below a header. Rows must come in order. */
export class RowSorter {
  readonly #columns: readonly number[];
  readonly #titles: readonly string[];
  readonly #sums: ColumnSums;
  #gap = false;
  #noted = false;
  #data = 0;
  /** Rows with a value in the first column, and rows with a single one. */
  #begun = 0;
  #lonely = 0;
  /** Whether the last row is called a total, and isn't one. */
  isOnlyCalledTotal = false;

  constructor(
    layout: Layout,
    /** The kinds that are looked for. */
    readonly without: ReadonlySet<LeftOutKind>,
  ) {
    this.#columns = layout.columns.map(({ column }) => column);
    this.#titles = layout.columns.map(({ header }) => folded(header));
    this.#sums = new ColumnSums(this.#columns);
  }

  /** What a row is, whose cells may have numbers: those of the row `at` a place. */
  kindOf(row: Row, numbers?: CellNumbers, at = 0): RowKind {
    this.isOnlyCalledTotal = false;
    // More than two filled cells tell nothing that two don't.
    let filled = 0;
    let last = -1;
    let first = -1;
    for (const column of this.#columns) {
      if (isEmpty(row[column])) continue;
      if (first < 0) first = column;
      last = column;
      if (++filled === 2) break;
    }
    if (filled === 0) {
      if (row.some((cell) => !isEmpty(cell))) return "beside";
      this.#gap = true;
      return "blank";
    }
    if (this.#isHeader(row, filled)) return "header again";
    if (this.#isTotal(row, first, filled)) {
      this.#sums.beginGroup();
      return "total";
    }
    if (this.#isNote(row, last, filled)) {
      this.#noted = true;
      return "note";
    }
    this.#gap = false;
    this.#noted = false;
    this.#data++;
    if (first === this.#columns[0]) this.#begun++;
    if (filled === 1) this.#lonely++;
    if (this.without.has("total")) this.#sums.add(row, numbers, at);
    return "data";
  }

  #isHeader(row: Row, filled: number): boolean {
    if (filled < 2 || !this.without.has("header again")) return false;
    const first = row[this.#columns[0] as number];
    if (typeof first === "string" && this.#beginsOtherwise(first)) return false;
    return this.#columns.every((column, index) => {
      const cell = row[column];
      return isEmpty(cell) || (typeof cell === "string" && folded(cell) === this.#titles[index]);
    });
  }

  /** Whether a cell of the first column can't be its title, by its first letter alone: which nearly every row tells. */
  #beginsOtherwise(cell: string): boolean {
    const [title = ""] = this.#titles;
    const [wanted, found] = [title.charCodeAt(0), cell.charCodeAt(0)];
    // Beyond ASCII, a letter may be written in several ways.
    if (!(wanted < 128 && found > 32 && found < 128)) return false;
    return wanted !== found && title[0] !== cell[0]?.toLowerCase();
  }

  /**
   * A word such as total in the first cell, and behind it nothing but numbers that are sums of those above; or such
   * numbers alone, where other rows begin with something else.
   */
  #isTotal(row: Row, first: number, filled: number): boolean {
    const cell = row[first];
    if (this.#data === 0 || !this.without.has("total")) return false;
    if (typeof cell !== "string" || !totalWords.test(cell.trim())) {
      return this.#isBareTotal(row, first);
    }
    if (filled < 2 || !this.#hasNumbersBehind(row, first)) return false;
    const { right, wrong } = this.#sums.compare(row, figureNamed(cell));
    this.isOnlyCalledTotal = right === 0 && wrong > 0;
    return !this.isOnlyCalledTotal;
  }

  /** Numbers that are all sums, in a row without the beginning that nearly every other has. */
  #isBareTotal(row: Row, first: number): boolean {
    if (this.#data < 3 || first === this.#columns[0] || this.#begun * 10 < this.#data * 9)
      return false;
    if (!this.#hasNumbersBehind(row, -1)) return false;
    const { right, wrong } = this.#sums.compare(row, "sum");
    return right > 0 && wrong === 0;
  }

  #hasNumbersBehind(row: Row, first: number): boolean {
    return this.#columns.every((column) => {
      const other = row[column];
      if (column === first || isEmpty(other)) return true;
      return (
        (typeOfCell(other as Exclude<Cell, null>).bits &
          (typeBit.point | typeBit.comma | typeBit.fault)) !==
        0
      );
    });
  }

  /** A lonely text below a blank row. */
  #isNote(row: Row, column: number, filled: number): boolean {
    if (!(this.#gap || this.#noted) || filled > 1) return false;
    // In two columns, a row may well have one value; but not where no other row has.
    const isUsual = this.#columns.length < 3 && (this.#data < 2 || this.#lonely > 0);
    if (isUsual || this.#columns.length < 2) return false;
    return this.without.has("note") && typeof row[column] === "string";
  }
}
