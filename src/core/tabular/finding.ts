import type { SpanParts } from "../../../kit/formula/durations.ts";
import type { DateOrder } from "./dates.ts";
import type { BareNumbers, DecimalSign } from "./numbers.ts";
import type { ColumnProfile, Example, LookGroup } from "./profile.ts";
import { typeBit } from "./type-detection.ts";

/** Kinds of field that a column can be taken for by its values alone. */
export type ColumnKind =
  | "text"
  | "long text"
  | "integer"
  | "decimal"
  | "money"
  | "percent"
  | "boolean"
  | "date"
  | "time"
  | "datetime"
  | "duration"
  | "email"
  | "url"
  | "phone"
  | "color"
  | "place"
  | "image"
  | "file"
  | "choice";

/** How the texts of a column are to be read, where that isn't plain. */
export interface ReadingHints {
  dates?: DateOrder;
  decimals?: DecimalSign;
  century?: number;
  units?: Record<string, string>;
  bare?: BareNumbers;
  spans?: SpanParts;
}

/** A question about a column. */
export interface Question {
  ask: string;
  /** The answers; the first is what was taken. */
  choices: { say: string; set: Answer }[];
}

/** What an answer changes in the plan of a field. */
export interface Answer extends ReadingHints {
  /** Another type. */
  type?: ColumnKind;
  /** Cells that are another value. */
  replace?: Record<string, string>;
}

/** What a column is taken for, and why. */
export interface Finding {
  kind: ColumnKind;
  /** The evidence, in words. */
  why: string;
  /** What could as well be otherwise. */
  guess?: string;
  /** What somebody who knows the sheet can settle. */
  questions?: Question[];
  hints: ReadingHints;
  /** How dates and numbers are written, where this column leaves no doubt. */
  evidence: Evidence;
  unit?: string;
  places?: number;
  /** Whether no number is below zero. */
  positive?: boolean;
  choices?: string[];
  /** The most files that one cell names. */
  files?: number;
  /** The currency of the amounts. */
  currency?: string;
  /** The currencies of amounts that have several, and whether each amount says its own. */
  currencies?: { codes: string[]; isEverywhere: boolean };
  /** Cells that don't fit. */
  exceptions: { count: number; examples: Exception[] };
}

export interface Evidence {
  dates?: DateOrder;
  decimals?: DecimalSign;
}

export interface Exception extends Example {
  reason: string;
  /** What was probably meant. */
  near?: string;
}

/** What is known from elsewhere, for what a column doesn't tell by itself. */
export interface InferenceContext extends Evidence {
  /** This day. */
  today: string;
  /** Whether the sheet is one of a workbook, in which numbers needn't be texts. */
  workbook: boolean;
  /** The name of the column. */
  name: string;
  /** The kind that this suggests; undefined for none. */
  named: string | undefined;
  /** The unit in the header. */
  unit?: string | undefined;
  /** Whether there is a file of a name, where the sheet is. */
  hasFile?: ((name: string) => boolean) | undefined;
}

export type Test = (bits: number) => boolean;

/** What a kind is found by; without evidence where it has none. */
export type Found = Omit<Finding, "evidence"> & { evidence?: Evidence };

export function countOf({ groups }: ColumnProfile, test: Test): number {
  return groups.reduce((sum, { bits, count }) => sum + (test(bits) ? count : 0), 0);
}

/** Whether so many cells fit that the others are mistakes. */
export function mostlyFits(fitting: number, counted: number): boolean {
  const others = counted - fitting;
  return fitting >= 2 || others === 0
    ? others <= Math.max(counted > 3 ? 1 : 0, counted * 0.1)
    : false;
}

/** The cells that don't pass, as exceptions with a reason. */
export function exceptionsOf(
  profile: ColumnProfile,
  fits: Test,
  reason: string,
): Finding["exceptions"] {
  const bad = profile.groups.filter(({ bits }) => !fits(bits));
  const why = ({ bits }: LookGroup) =>
    bits & typeBit.fault
      ? "in error"
      : bits & typeBit.nul
        ? "a character that can't be kept"
        : reason;
  return {
    count: bad.reduce((sum, { count }) => sum + count, 0),
    examples: bad
      .flatMap((group) => group.examples.map((example) => ({ ...example, reason: why(group) })))
      .sort((a, b) => a.row - b.row)
      .slice(0, 5),
  };
}

export function simple(
  kind: ColumnKind,
  what: string,
  profile: ColumnProfile,
  fits: Test,
  reason: string,
): Found {
  const exceptions = exceptionsOf(profile, fits, reason);
  const fitting = profile.filled - exceptions.count;
  const one = what.replace(/ses$/, "s").replace(/(?<!s)s$/, "");
  return { kind, why: `${fitting} ${fitting === 1 ? one : what}`, hints: {}, exceptions };
}

export function quantity(number: number, one: string): string {
  return `${number} ${one}${number === 1 ? "" : "s"}`;
}
