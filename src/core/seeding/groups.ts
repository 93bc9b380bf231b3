import { isReference } from "../model/model.ts";
import type { FieldMaker } from "./fields.ts";
import { isNumbering } from "./meaning.ts";
import type { Records } from "./parents.ts";
import { SeenKeys } from "./seen.ts";
import type { Value } from "./value.ts";

type Row = Readonly<Record<string, Value>>;

/** The most combinations of values that are gone through one by one. */
const mostCombinations = 4_000_000;

/** Fields that together may come once only, and the combinations that rows have. */
export class Group {
  /** How many combinations of values there are. */
  readonly capacity: number;
  readonly #seen = new SeenKeys();
  /** The number of the combination that is looked at next, where they are gone through. */
  #next = 0;

  constructor(readonly makers: readonly FieldMaker[]) {
    this.capacity = makers.reduce((product, { capacity }) => product * capacity, 1);
  }

  /** Whether no row has what this one has in these fields. */
  isNew(row: Row): boolean {
    const key = keyOfAll(this.makers, row);
    return key === undefined || !this.#seen.has(key);
  }

  /** Remembers what a row has in these fields. */
  note(row: Row): void {
    const key = keyOfAll(this.makers, row);
    if (key !== undefined) this.#seen.add(key);
  }

  /** Assigns a row the next unused combination, where there are few in all. */
  goThrough(row: Record<string, Value>, records: ReadonlyMap<string, Records>): boolean {
    if (this.capacity > mostCombinations) return false;
    while (this.#next < this.capacity) {
      let rest = this.#next++;
      for (const maker of this.makers) {
        row[maker.column] =
          maker.nth?.(rest % maker.capacity) ?? nthReference(maker, rest % maker.capacity, records);
        rest = Math.floor(rest / maker.capacity);
      }
      if (this.isNew(row)) return true;
    }
    return false;
  }
}

function nthReference(
  { field }: FieldMaker,
  index: number,
  records: ReadonlyMap<string, Records>,
): Value {
  return isReference(field) ? (records.get(field.type.entity)?.id(index) ?? null) : null;
}

/** A number that counts within what the other fields of a group lead to: the third find of a trench. */
export class Counter {
  readonly #reached = new Map<string, number>();

  private constructor(
    readonly by: FieldMaker,
    readonly within: readonly FieldMaker[],
  ) {}

  /** The one of a group, if it has such a number. */
  static of({ makers }: Group): Counter | undefined {
    const by = makers.find(({ field }) => field.required && isNumbering(field));
    const within = makers.filter((maker) => maker !== by);
    const refer = within.every(({ field, late }) => isReference(field) && !late);
    return by && refer ? new Counter(by, within) : undefined;
  }

  /** The next number for a row whose references are made; undefined where the range is used up. */
  next(row: Row, skipped: number): number | undefined {
    const key = this.#place(row);
    const { min = 1, max = Infinity } = this.by.field.type as { min?: number; max?: number };
    const next = Math.max(min, (this.#reached.get(key) ?? min - 1) + 1) + skipped;
    return next <= max ? next : undefined;
  }

  /** Remembers the number of a row. */
  note(row: Row): void {
    const key = this.#place(row);
    const number = row[this.by.column];
    if (typeof number !== "number") return;
    this.#reached.set(key, Math.max(this.#reached.get(key) ?? number, number));
  }

  /** What a row belongs to; those that belong to nothing are counted, too. */
  #place(row: Row): string {
    return this.within.map(({ column }) => row[column] ?? "").join();
  }
}

/** Whatever its case, a text is the same where it has to be unique. */
export function keyOf(value: Value): string {
  return typeof value === "string" ? value.toLowerCase() : String(Number(value));
}

/** The key of a combination; undefined where something is missing, which may come any number of times. */
function keyOfAll(makers: readonly FieldMaker[], row: Row): string | undefined {
  let key = "";
  for (const { column } of makers) {
    const value = row[column] ?? null;
    if (value === null) return undefined;
    key += `${keyOf(value)}\u0001`;
  }
  return key;
}
