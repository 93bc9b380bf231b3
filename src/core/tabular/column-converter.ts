import { type Field, isMany, isReference } from "../model/model.ts";
import { nearest } from "../naming/nearest.ts";
import type { CellNumbers } from "./cell-numbers.ts";
import { type Blanks, type Cell, cellText, quote, type Row } from "./cells.ts";
import { ColumnWatch, type Tally } from "./column-values.ts";
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
  /** Counts it among the values of its column; undefined for blank cells, and those that are set aside. */
  tally?: Tally;
  /** A checksum of what is written. */
  sum?: number;
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
  #numbered: Met[] = [];
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
    this.#column = column ?? -1;
    this.#numbered = [];
  }

  /** The value in a row, null for none. A cell that can't be taken goes to `aside`. */
  valueOf(row: SheetRow, aside: AsideCell[]): string | null {
    const cell = row.cells[this.#column] ?? null;
    const met = this.#meet(row, cell);
    if (met.isBlank) this.watch.takeBlank();
    else if (met.reason !== undefined) {
      aside.push({ column: this.#column, text: cellText(cell), reason: met.reason });
    } else if (met.tally) met.tally.count++;
    else if (met.text !== null) this.watch.take(cell, met.text);
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
    const met = number < 0 ? undefined : this.#numbered[number];
    if (!met) return hashOf(writtenIn(cell));
    met.sum ??= hashOf(writtenIn(cell));
    return met.sum;
  }

  #meet({ numbers, at }: SheetRow, cell: Cell): Met {
    const number = numbers ? numbers.of(at, this.#column) : -1;
    if (number >= 0) {
      const known = this.#numbered[number];
      if (known) return known;
      const met = this.#counted(cell);
      this.#numbered[number] = met;
      return met;
    }
    if (numbers || typeof cell !== "string") return this.#meetNew(cell);
    const known = this.#known.get(cell);
    if (known) return known;
    if (this.#known.size >= mostKnown || cell.length > longestKnown) return this.#meetNew(cell);
    const met = this.#counted(cell);
    this.#known.set(cell, met);
    return met;
  }

  /** What a cell became that may come again. */
  #counted(cell: Cell): Met {
    const met = this.#meetNew(cell);
    if (met.isBlank || met.reason !== undefined || met.text === null) return met;
    return { ...met, tally: this.watch.meet(cell, met.text) };
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

/** What is written in a cell, but for space around it. */
function writtenIn(cell: Cell): string {
  return typeof cell === "string" ? cell.trim() : cellText(cell);
}
