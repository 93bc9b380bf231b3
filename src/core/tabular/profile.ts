import {
  type Blanks,
  type Cell,
  type CellNumbers,
  cellText,
  folded,
  isEmpty,
  type RowBatch,
} from "./cells.ts";
import { Distinct, hashOf, type Spelling, type Spill } from "./distinct.ts";
import { Dependencies } from "./functional-dependencies.ts";
import { type Layout, type LeftOutKind, leftOutKinds, RowSorter } from "./layout.ts";
import { RowValues } from "./row-keys.ts";
import { RecordReader, recordColumns, sourceColumn, type TableRecord } from "./shapes/records.ts";
import { stackedRow } from "./shapes/stacks.ts";
import { typeBit, typeOfCell } from "./type-detection.ts";

/** A cell as an example: its row, and what it says. */
export interface Example {
  row: number;
  /** Where it is in another column than the one it is counted for. */
  column?: number;
  text: string;
}

/** Cells of a column that can be read as the same things. */
export interface LookGroup {
  /** The bits of `look`. */
  bits: number;
  count: number;
  examples: Example[];
}

/** All that is known of a column after every row was seen. */
export interface ColumnProfile {
  column: number;
  header: string;
  /** Cells with a value. */
  filled: number;
  blanks: number;
  groups: LookGroup[];
  /** What belongs to numbers: units, currencies; by how often. */
  marks: Map<string, { text: string; count: number; examples: Example[] }>;
  /** The most digits behind the point, by reading. */
  places: { point: number; comma: number };
  /** How many digits are written behind it in texts that have some: the fewest and the most. */
  written: { point: Bounds; comma: Bounds };
  longest: number;
  shortest: number;
  distinct: Distinct;
}

interface Bounds {
  least: number;
  most: number;
}

/** All that is known of a sheet's table. */
export interface SheetProfile {
  layout: Layout;
  /** Rows of data. */
  rows: number;
  lastRow: number;
  /** Rows below the header that are none, by what they are. */
  leftOut: Map<LeftOutKind, { count: number; examples: Example[] }>;
  /** Rows that are called a total, and are none: they are data. */
  calledTotal: { count: number; examples: Example[] };
  /** Rows that are the same as one above them. */
  copies: number;
  /** Cells that are outside the table's columns. */
  beside: { count: number; examples: Example[] };
  columns: ColumnProfile[];
  dependencies: Dependencies;
  /** Which values the rows have, for finding out what tells them apart. */
  values: RowValues;
}

/** What is known of some columns of a table alone. */
export function onlyColumns(
  profile: SheetProfile,
  isWanted: (column: ColumnProfile) => boolean,
): SheetProfile {
  const places = profile.columns.flatMap((column, at) => (isWanted(column) ? [at] : []));
  const watched = places.filter((place) => place < profile.values.columns);
  return {
    ...profile,
    columns: places.flatMap((place) => profile.columns[place] ?? []),
    values: profile.values.only(watched),
    dependencies: profile.dependencies.only(watched),
  };
}

const mostExamples = 5;
const mostContents = 50_000;
/** Columns beyond these are not looked at for repeating together. */
const mostDependent = 40;

/** Looks at a sheet row by row; what it keeps does not grow with the rows, apart from what it spills. */
export class SheetProfiler {
  #sorter: RowSorter;
  #records: RecordReader;
  #layout: Layout;
  /** The place of the sheet among those that are read as one. */
  #sheet = 0;
  readonly #without: ReadonlySet<LeftOutKind>;
  readonly #blanks: Blanks;
  readonly #columns: ColumnWatcher[];
  readonly #profile: SheetProfile;
  readonly #inside: Set<number>;
  readonly #indexes: Int32Array;
  /** What the rows say, as checksums. */
  readonly #contents = new Set<number>();

  constructor(
    layout: Layout,
    {
      blanks,
      without = new Set(leftOutKinds),
    }: { blanks: Blanks; without?: ReadonlySet<LeftOutKind> },
    openSpill: () => Spill,
  ) {
    this.#layout = layout;
    this.#blanks = blanks;
    this.#without = without;
    this.#sorter = new RowSorter(layout, without);
    this.#records = new RecordReader(layout, blanks);
    this.#columns = recordColumns(layout).map(
      ({ column, header }) => new ColumnWatcher(column, header, blanks, openSpill),
    );
    this.#inside = new Set(layout.columns.map(({ column }) => column));
    this.#indexes = new Int32Array(this.#columns.length);
    const dependent = Math.min(mostDependent, this.#columns.length);
    this.#profile = {
      layout,
      rows: 0,
      lastRow: layout.firstRow - 1,
      leftOut: new Map(),
      calledTotal: { count: 0, examples: [] },
      copies: 0,
      beside: { count: 0, examples: [] },
      columns: this.#columns.map(({ profile }) => profile),
      dependencies: new Dependencies(dependent),
      values: new RowValues(dependent),
    };
  }

  /** Goes on with another sheet that has the same columns. */
  goOn(layout: Layout): void {
    this.#layout = layout;
    this.#sorter = new RowSorter(layout, this.#without);
    this.#records = new RecordReader(layout, this.#blanks);
    this.#sheet++;
    for (const watcher of this.#columns) watcher.goOn();
  }

  take({ first, rows, numbers }: RowBatch): void {
    const { firstRow, lastRow = Infinity } = this.#layout;
    for (let at = 0; at < rows.length; at++) {
      const row = rows[at];
      if (!row || first + at < firstRow || first + at > lastRow) continue;
      const number = stackedRow(this.#sheet, first + at);
      const kind = this.#sorter.kindOf(row, numbers, at);
      if (kind === "blank") continue;
      this.#takeBeside(row, number);
      if (kind === "beside") continue;
      if (kind !== "data") this.#leaveOut(kind, row, number);
      else {
        if (this.#sorter.isOnlyCalledTotal) {
          note(this.#profile.calledTotal, { row: number, text: textOf(row) });
        }
        for (const record of this.#records.recordsOf(row)) {
          // Records that are made of a row have other cells than it.
          this.#takeData(record, number, record.cells === row ? numbers : undefined, at);
        }
      }
    }
  }

  #takeData(
    { cells: row, group }: TableRecord,
    number: number,
    numbers: CellNumbers | undefined,
    place: number,
  ): void {
    this.#profile.rows++;
    this.#profile.lastRow = number;
    const indexes = this.#indexes;
    for (let at = 0; at < this.#columns.length; at++) {
      const watcher = this.#columns[at] as ColumnWatcher;
      const { column } = watcher.profile;
      const source = group && sourceColumn(this.#layout, column, group);
      const cellNumber = numbers?.of(place, column);
      indexes[at] = watcher.take(row[column] ?? null, number, source ?? column, cellNumber);
    }
    this.#profile.dependencies.take(indexes, number);
    this.#profile.values.take(indexes);
    // Beyond so many rows, copies aren't looked for.
    if (this.#columns.length < 2 || this.#contents.size >= mostContents) return;
    const content = hashOf(row.map((cell) => folded(cellText(cell ?? null))).join("\u001f"));
    if (this.#contents.has(content)) this.#profile.copies++;
    else this.#contents.add(content);
  }

  #takeBeside(row: readonly Cell[], number: number): void {
    if (row.length <= this.#layout.columns.length && this.#inside.size === row.length) return;
    row.forEach((cell, column) => {
      if (this.#inside.has(column) || isEmpty(cell)) return;
      note(this.#profile.beside, { row: number, text: cellText(cell) });
    });
  }

  #leaveOut(kind: LeftOutKind, row: readonly Cell[], number: number): void {
    const group = this.#profile.leftOut.get(kind) ?? { count: 0, examples: [] };
    this.#profile.leftOut.set(kind, group);
    note(group, { row: number, text: textOf(row) });
  }

  /** What was seen. */
  finish(): SheetProfile {
    for (const watcher of this.#columns) watcher.finish();
    return this.#profile;
  }
}

function widen(bounds: Bounds, places: number): void {
  if (places === 0) return;
  bounds.least = Math.min(bounds.least, places);
  bounds.most = Math.max(bounds.most, places);
}

/** What is in the cells of a row, as one text. */
function textOf(row: readonly Cell[]): string {
  return row
    .filter((cell) => !isEmpty(cell))
    .map(cellText)
    .join(", ");
}

function note(group: { count: number; examples: Example[] }, example: Example): void {
  group.count++;
  if (group.examples.length < mostExamples) {
    group.examples.push({ ...example, text: example.text.slice(0, 200) });
  }
}

/** A cell that was looked at once. */
interface Known {
  group: LookGroup;
  mark: string;
  spelling: Spelling | undefined;
  hash: number;
}

const mostKnown = 30_000;

/** Looks at one column. Values that come again are looked at once. */
class ColumnWatcher {
  readonly profile: ColumnProfile;
  readonly #groups = new Map<number, LookGroup>();
  readonly #known = new Map<string, Known>();
  /** What is known of cells by their numbers; null for blank ones. */
  #numbered: (Known | null)[] = [];
  /**
   * By their numbers, how often cells came, and the numbers of their values. Once a cell gave all the examples that are
   * kept, nothing else is touched: reading objects all over the memory would take most of the time.
   */
  #counts = new Int32Array(0);
  #indexes = new Int32Array(0);

  constructor(
    column: number,
    header: string,
    readonly blanks: Blanks,
    openSpill: () => Spill,
  ) {
    this.profile = {
      column,
      header,
      filled: 0,
      blanks: 0,
      groups: [],
      marks: new Map(),
      places: { point: 0, comma: 0 },
      written: { point: { least: Infinity, most: 0 }, comma: { least: Infinity, most: 0 } },
      longest: 0,
      shortest: Infinity,
      distinct: new Distinct(() => {
        this.#settle();
        return openSpill();
      }),
    };
  }

  /** Goes on with cells that have other numbers. */
  goOn(): void {
    this.#settle();
    this.#numbered = [];
    this.#counts = new Int32Array(0);
  }

  /** Returns the number of the value among the column's; -1 for none. */
  take(cell: Cell, row: number, column = this.profile.column, number?: number): number {
    if (number === undefined || number < 0 || this.profile.distinct.overflowed) {
      return this.#takeNow(cell, row, column, number);
    }
    if (number >= this.#counts.length) this.#widen(number);
    const count = this.#counts[number] as number;
    if (count < mostExamples) {
      const index = this.#takeNow(cell, row, column, number);
      // Blank cells, and those of which the spellings are not kept, are taken one by one.
      if (index < 0) return index;
      this.#indexes[number] = index;
    }
    this.#counts[number] = count + 1;
    return this.#indexes[number] as number;
  }

  #widen(number: number): void {
    const length = Math.max(1024, 2 * number);
    const [counts, indexes] = [new Int32Array(length), new Int32Array(length)];
    counts.set(this.#counts);
    indexes.set(this.#indexes);
    this.#counts = counts;
    this.#indexes = indexes;
  }

  /** Adds what was only counted to what is known of the cells. */
  #settle(): void {
    for (const [number, known] of this.#numbered.entries()) {
      const more = (this.#counts[number] ?? 0) - mostExamples;
      if (more <= 0 || !known) continue;
      this.#counts[number] = mostExamples;
      this.profile.filled += more;
      known.group.count += more;
      const mark = this.profile.marks.get(known.mark);
      if (known.mark && mark) mark.count += more;
      if (known.spelling) this.profile.distinct.countMore(known.spelling, more);
    }
  }

  #takeNow(cell: Cell, row: number, column: number, number: number | undefined): number {
    const { profile } = this;
    const known = this.#knownOf(cell, number);
    if (known === null) {
      profile.blanks++;
      return -1;
    }
    profile.filled++;
    const { group, spelling } = known;
    group.count++;
    if (group.examples.length < mostExamples) {
      const elsewhere = column === profile.column ? {} : { column };
      group.examples.push({ row, ...elsewhere, text: cellText(cell).slice(0, 200) });
    }
    if (known.mark) this.#countMark(known.mark, row, cellText(cell));
    if (spelling && !profile.distinct.overflowed) return profile.distinct.count(spelling, row);
    profile.distinct.countSpilled(known.hash, row);
    return -1;
  }

  #knownOf(cell: Cell, number: number | undefined): Known | null {
    const hasNumber = number !== undefined && number >= 0;
    const numbered = hasNumber ? this.#numbered[number] : undefined;
    if (numbered !== undefined) return numbered;
    const known = cell === null || this.blanks.has(cell) ? null : this.#look(cell, number);
    if (hasNumber) this.#numbered[number] = known;
    return known;
  }

  #look(cell: Exclude<Cell, null>, number: number | undefined): Known {
    // Where others of its column have numbers, it hardly comes again.
    if (typeof cell !== "string" || number === -1) return this.#lookAt(cell, cellText(cell));
    return this.#lookOnce(cell);
  }

  #lookOnce(text: string): Known {
    const known = this.#known.get(text);
    if (known) return known;
    const looked = this.#lookAt(text, text);
    if (text.length <= 80 && this.#known.size < mostKnown) this.#known.set(text, looked);
    return looked;
  }

  #lookAt(cell: Exclude<Cell, null>, text: string): Known {
    const { profile } = this;
    const { bits, mark, ...digits } = typeOfCell(cell);
    let group = this.#groups.get(bits);
    if (!group) {
      group = { bits, count: 0, examples: [] };
      this.#groups.set(bits, group);
    }
    if (bits & (typeBit.point | typeBit.comma)) {
      profile.places.point = Math.max(profile.places.point, digits.pointPlaces);
      profile.places.comma = Math.max(profile.places.comma, digits.commaPlaces);
      if ((bits & typeBit.typed) === 0) {
        widen(profile.written.point, digits.pointWritten);
        widen(profile.written.comma, digits.commaWritten);
      }
    }
    if (typeof cell === "string") profile.longest = Math.max(profile.longest, cell.trim().length);
    profile.shortest = Math.min(profile.shortest, text.trim().length);
    return { group, mark, spelling: profile.distinct.meet(text), hash: hashOf(folded(text)) };
  }

  #countMark(mark: string, row: number, text: string): void {
    const known = this.profile.marks.get(mark) ?? { text: mark, count: 0, examples: [] };
    if (this.profile.marks.size < 50) this.profile.marks.set(mark, known);
    note(known, { row, text });
  }

  finish(): void {
    this.#settle();
    this.profile.groups = [...this.#groups.values()].sort((a, b) => b.count - a.count);
  }
}
