import { partsOf } from "./cell-lists.ts";
import { folded, quote } from "./cells.ts";
import type { KeySet } from "./keys.ts";
import type { SplitPlan } from "./plan.ts";

interface SplitRecord {
  text: string;
  values: (string | null)[];
  row: number;
  /** Whether it is a record of another sheet already. */
  isThere: boolean;
}

/** A value of a row that can't be taken over into the record that is split off. */
export interface Contradiction {
  /** Its place among the fields that go along. */
  at: number;
  reason: string;
}

/** The records that are split off a sheet: those that were met so far, with what went along with each. */
export class SplitOff {
  readonly #seen = new Map<string, SplitRecord>();

  constructor(
    readonly plan: SplitPlan,
    /** The keys of the entity, where others refer to it. */
    readonly keys: KeySet | undefined,
  ) {}

  /** What refers to the records that a cell names. */
  references(text: string): string {
    const spelled = (name: string) => this.#seen.get(folded(name))?.text ?? name;
    const { list } = this.plan;
    return list === undefined ? spelled(text) : partsOf(text, list).map(spelled).join("\n");
  }

  /** Takes up what a row says of a record; gives what contradicts earlier rows, or a row of another sheet. */
  take(
    name: string,
    values: (string | null)[],
    row: number,
    rowName: (row: number) => string,
  ): Contradiction[] {
    if (this.plan.list !== undefined) {
      for (const part of partsOf(name, this.plan.list)) this.#meet(part, [], row);
      return [];
    }
    const known = this.#seen.get(folded(name));
    if (!known) {
      const { isThere } = this.#meet(name, values, row);
      const reason = `${quote(name)} has a row of its own in another sheet`;
      return values.flatMap((value, at) => (isThere && value !== null ? [{ at, reason }] : []));
    }
    return values.flatMap((value, at): Contradiction[] => {
      const before = known.values[at] ?? null;
      if (value === null || value === before) return [];
      if (before === null) {
        known.values[at] = value;
        return [];
      }
      const since = `since ${rowName(known.row)}`;
      return [{ at, reason: `${quote(known.text)} has ${quote(before)} here, ${since}` }];
    });
  }

  /** The records that no other sheet has. */
  *records(): Generator<{ text: string; values: readonly (string | null)[] }> {
    for (const record of this.#seen.values()) if (!record.isThere) yield record;
  }

  #meet(name: string, values: (string | null)[], row: number): SplitRecord {
    const known = this.#seen.get(folded(name));
    if (known) return known;
    const isThere = this.keys?.add(name, row, 0) !== undefined;
    const record = { text: name, values, row, isThere };
    this.#seen.set(folded(name), record);
    return record;
  }
}
