import { nearest } from "../../../kit/formula/nearest.ts";
import { type Field, isMany, isReference } from "../model/model.ts";
import { type Blanks, type Cell, type CellNumbers, cellText, quote, type Row } from "./cells.ts";
import { type ColumnValues, ColumnWatch } from "./column-values.ts";
import { hashOf } from "./distinct.ts";
import type { KeyFinder } from "./keys.ts";
import type { FieldPlan } from "./plan.ts";
import { listParts } from "./relationships.ts";
import type { SplitOff } from "./split-off.ts";
import { type ReadValue, type ValueContext, type ValueReader, valueReader } from "./values.ts";

/** A row of a sheet, whose cells may have numbers: those of the row `at` a place. */
export interface SheetRow {
  cells: Row;
  numbers: CellNumbers | undefined;
  at: number;
}

/** A cell that can't be taken. */
export interface AsideCell {
  column: number;
  text: string;
  reason: string;
}

/** What a cell became: its value, null for none; and why it is set aside, if it is. */
interface Met {
  text: string | null;
  reason: string | undefined;
  isBlank: boolean;
}

const mostKnown = 10_000;
const longestKnown = 80;

/** Reads the cells of a column as the values of a field. Those that come again, which are the majority, are read once. */
export class ColumnConverter {
  readonly watch: ColumnWatch;
  /** The records that are split off by this column, to which its values refer. */
  splitOff: SplitOff | undefined;
  readonly #read: ValueReader;
  readonly #known = new Map<string, Met>();
  #numbered = new NumberedValues();
  /** What cells became that have no value, by their numbers. */
  readonly #others = new Map<number, Met>();
  #column = -1;

  constructor(
    readonly field: Field,
    readonly plan: FieldPlan,
    readonly context: ValueContext & {
      blanks: Blanks;
      /** The keys of each entity, by which others refer to it. */
      keys: ReadonlyMap<string, KeyFinder>;
    },
  ) {
    this.#read = valueReader(field, plan, context);
    this.watch = new ColumnWatch(field.type);
  }

  /** Its place on the sheet that is read now; -1 for a field without one. */
  get column(): number {
    return this.#column;
  }

  /** Goes on with another sheet, where it may have another place. */
  goOn(column: number | undefined): void {
    this.#numbered.count(this.watch);
    this.#numbered = new NumberedValues();
    this.#others.clear();
    this.#column = column ?? -1;
  }

  /** What was seen of the values. */
  values(): ColumnValues {
    this.#numbered.count(this.watch);
    return this.watch.finish();
  }

  /** The value in a row, null for none. A cell that can't be taken goes to `aside`. */
  valueOf(row: SheetRow, aside: AsideCell[]): string | null {
    const cell = row.cells[this.#column] ?? null;
    const number = row.numbers ? row.numbers.of(row.at, this.#column) : -1;
    const known = number < 0 ? undefined : this.#numbered.take(number);
    if (known !== undefined) return known;
    const met = number < 0 ? this.#meet(row, cell) : this.#meetNumbered(number, cell);
    if (met.isBlank) this.watch.takeBlank();
    else if (met.reason !== undefined) {
      aside.push({ column: this.#column, text: cellText(cell), reason: met.reason });
    } else if (met.text !== null) {
      if (number < 0) this.watch.take(cell, met.text);
      else this.#numbered.add(number, met.text, this.watch.look(cell, met.text));
    }
    return met.text;
  }

  /** What a computed text becomes. */
  computed(text: string): ReadValue {
    const read = this.#read(text);
    if ("text" in read && read.text !== "") this.watch.take(text, read.text);
    return read;
  }

  /** A checksum of what is written in a row. */
  sumOf({ cells, numbers, at }: SheetRow): number {
    const cell = cells[this.#column] ?? null;
    const number = numbers ? numbers.of(at, this.#column) : -1;
    return number < 0
      ? hashOf(writtenIn(cell)) | 0
      : this.#numbered.sumOf(number, () => hashOf(writtenIn(cell)));
  }

  #meet({ numbers }: SheetRow, cell: Cell): Met {
    // Where others of its column have numbers, it hardly comes again.
    if (numbers || typeof cell !== "string") return this.#meetNew(cell);
    const known = this.#known.get(cell);
    if (known) return known;
    const met = this.#meetNew(cell);
    if (this.#known.size < mostKnown && cell.length <= longestKnown) this.#known.set(cell, met);
    return met;
  }

  #meetNumbered(number: number, cell: Cell): Met {
    const known = this.#others.get(number);
    if (known) return known;
    const met = this.#meetNew(cell);
    if (met.isBlank || met.reason !== undefined) this.#others.set(number, met);
    return met;
  }

  #meetNew(cell: Cell): Met {
    const none = this.field.type.kind === "boolean" ? "no" : null;
    if (cell === null || this.context.blanks.has(cell)) {
      return { text: none, reason: undefined, isBlank: true };
    }
    const read = this.#readNew(cell);
    if ("reason" in read) return { text: none, reason: read.reason, isBlank: false };
    return { text: read.text === "" ? null : read.text, reason: undefined, isBlank: false };
  }

  #readNew(cell: Exclude<Cell, null>): ReadValue {
    const { field } = this;
    const read = this.#read(cell);
    if ("reason" in read || !(isReference(field) || isMany(field))) return read;
    if (this.splitOff) return { text: this.splitOff.references(read.text) };
    const keys = this.context.keys.get(field.type.entity);
    if (isReference(field)) return reference(read.text, keys, field.type.entity);
    const parts = listParts(read.text, (part) => keys?.find(part) !== undefined);
    const known = parts.map((part) => reference(part, keys, field.type.entity));
    const unknown = known.find((part) => "reason" in part);
    if (unknown && "reason" in unknown) return unknown;
    return { text: known.map((part) => ("text" in part ? part.text : "")).join("\n") };
  }
}

function reference(text: string, keys: KeyFinder | undefined, entity: string): ReadValue {
  const known = keys?.find(text);
  if (known) return { text: known.text ?? text.replace(/\s+/gu, " ") };
  const near = keys && keys.size <= 5000 ? nearest(text, keys.spellings()) : undefined;
  return {
    reason: `there is no ${entity} ${quote(text)}${near ? `; the nearest is ${quote(near)}` : ""}`,
  };
}

/**
 * The values that cells became, by the numbers of the cells: in arrays of their own, since reading objects all over the memory
 * would take most of the time.
 */
class NumberedValues {
  readonly #texts: string[] = [];
  /** How often each came, and what it adds to the sum of the column. */
  #counts = new Int32Array(0);
  #addends = new Float64Array(0);
  /** Checksums of what is written; 0 for one that isn't known. */
  #sums = new Int32Array(0);

  /** Takes the value of a cell that is known; undefined for one that isn't. */
  take(number: number): string | undefined {
    if (number >= this.#counts.length || this.#counts[number] === 0) return undefined;
    this.#counts[number] = (this.#counts[number] as number) + 1;
    return this.#texts[number];
  }

  /** Takes the value of a cell that is met first. */
  add(number: number, text: string, addend: number): void {
    this.#widen(number);
    this.#texts[number] = text;
    this.#counts[number] = 1;
    this.#addends[number] = addend;
  }

  sumOf(number: number, find: () => number): number {
    this.#widen(number);
    const known = this.#sums[number] as number;
    if (known !== 0) return known;
    this.#sums[number] = find();
    return this.#sums[number] as number;
  }

  /** Has the values counted among those of their column. */
  count(watch: ColumnWatch): void {
    for (const [number, count] of this.#counts.entries()) {
      if (count > 0) watch.count(count, this.#addends[number] as number);
    }
    this.#counts.fill(0);
  }

  #widen(number: number): void {
    if (number < this.#counts.length) return;
    const length = Math.max(1024, 2 * number);
    const [counts, addends, sums] = [this.#counts, this.#addends, this.#sums];
    this.#counts = new Int32Array(length);
    this.#addends = new Float64Array(length);
    this.#sums = new Int32Array(length);
    this.#counts.set(counts);
    this.#addends.set(addends);
    this.#sums.set(sums);
  }
}

/** What is written in a cell, but for space around it. */
function writtenIn(cell: Cell): string {
  return typeof cell === "string" ? cell.trim() : cellText(cell);
}
