import { durationText, secondsOf } from "../../../kit/formula/durations.ts";
import type { ValueType } from "../../../kit/formula/value-type.ts";
import type { FieldType } from "../fields/field-type.ts";
import { ruleOf } from "../fields/types.ts";
import { type Cell, cellText, numberText } from "./cells.ts";

/** What a preview shows of the values of a column. */
export interface ColumnValues {
  /** The first cells as they are written and as they are stored; those that are stored otherwise come first. */
  examples: { written: string; stored: string }[];
  filled: number;
  blank: number;
  /** Of numbers, days and times. */
  smallest?: string;
  largest?: string;
  /** Of numbers, in plain digits. */
  sum?: string;
}

type Order = "number" | "text" | "duration";

const mostExamples = 3;

/** The order of values that tells something, by what they are in formulas. */
const orders: Readonly<Record<ValueType, Order | undefined>> = {
  number: "number",
  span: "number",
  date: "text",
  time: "text",
  moment: "text",
  text: undefined,
  boolean: undefined,
  duration: "duration",
};

/** Watches the values of a column while they are converted. */
export class ColumnWatch {
  readonly #order: Order | undefined;
  readonly #changed: ColumnValues["examples"] = [];
  readonly #same: ColumnValues["examples"] = [];
  #filled = 0;
  #blank = 0;
  #smallest: string | undefined;
  #largest: string | undefined;
  #sum = 0;

  constructor(type: FieldType) {
    const { value } = ruleOf(type);
    this.#order = value && orders[value];
  }

  /** A cell that isn't blank, and what it became. */
  take(cell: Cell, stored: string): void {
    this.#filled++;
    this.#sum += this.look(cell, stored);
  }

  /** Counts cells that were looked at, of which each adds something to the sum. */
  count(cells: number, number: number): void {
    this.#filled += cells;
    this.#sum += cells * number;
  }

  /** Looks at a value without counting it, and gives what it adds to the sum. */
  look(cell: Cell, stored: string): number {
    if (this.#changed.length < mostExamples) this.#show(cell, stored);
    if (this.#order === undefined) return 0;
    if (this.#smallest === undefined || this.#isBefore(stored, this.#smallest)) {
      this.#smallest = stored;
    }
    if (this.#largest === undefined || this.#isBefore(this.#largest, stored)) {
      this.#largest = stored;
    }
    return this.#order === "text" ? 0 : this.#number(stored);
  }

  takeBlank(): void {
    this.#blank++;
  }

  #isBefore(one: string, other: string): boolean {
    return this.#order === "text" ? one < other : this.#number(one) < this.#number(other);
  }

  #number(stored: string): number {
    return this.#order === "duration" ? (secondsOf(stored) ?? 0) : Number(stored);
  }

  #sumText(): string | undefined {
    if (this.#filled === 0 || this.#order === undefined || this.#order === "text") return undefined;
    return this.#order === "duration" ? durationText(this.#sum) : numberText(this.#sum);
  }

  #show(cell: Cell, stored: string): void {
    const written = cellText(cell);
    const examples = written === stored ? this.#same : this.#changed;
    if (examples.length >= mostExamples) return;
    if (examples.some((each) => each.written === written)) return;
    examples.push({ written, stored });
  }

  finish(): ColumnValues {
    const [smallest, largest] = [this.#smallest, this.#largest];
    const sum = this.#sumText();
    return {
      examples: [...this.#changed, ...this.#same].slice(0, mostExamples),
      filled: this.#filled,
      blank: this.#blank,
      ...(smallest !== undefined && { smallest }),
      ...(largest !== undefined && { largest }),
      ...(sum !== undefined && { sum }),
    };
  }
}
