import type { ValueType } from "../../../kit/formula/value-type.ts";
import type { Default, FieldType } from "./field-type.ts";
import type { Storage } from "./storage.ts";

/** What core knows of a type of fields; the reference in docs/model.md is checked against it. */
export interface TypeRule<Type = FieldType> {
  /** What it holds, in a sentence of the reference. */
  holds: string;
  range: RangeMeaning;
  options: readonly SpecialOption[];
  /** What can follow `as`. */
  controls?: readonly Control[];
  /** Why an option can't go with it, where that needs saying. */
  unfit?: Readonly<Partial<Record<SpecialOption | "shown when", string>>>;
  uses: readonly Use[];
  /** What its values are in formulas; undefined where formulas don't take them as values. */
  value: ValueType | undefined;
  /** Undefined for what has no column. */
  storage: Storage<Type> | undefined;
  /** Reads a constant that stands in the model; undefined where none can. */
  constant: ((text: string, type: Type) => Constant) | undefined;
}

/** What the range of a type limits. */
export type RangeMeaning = "length" | "files" | "integer" | "decimal" | "date" | "none";

/** The range in words, for messages and the reference. */
export const rangeWords: Readonly<Record<RangeMeaning, string>> = {
  length: "the length in characters",
  files: "how many there may be",
  integer: "the least and the largest number",
  decimal: "the least and the largest number",
  date: "the earliest and the latest day, or `today`",
  none: "no range",
};

/** The options that only some types take. `label`, `hint`, `shown when` and `was` go with all. */
export type SpecialOption =
  | "required"
  | "required when"
  | "offered when"
  | "unique"
  | "default"
  | "placeholder"
  | "unit"
  | "places"
  | "size"
  | "as"
  | "fill";

/** How a form asks for a field, where it isn't as usual; of parts, the form of what they belong to. */
export type Control =
  | "radio"
  | "select"
  | "checkbox"
  | "switch"
  | "number"
  | "slider"
  | "search"
  | "rows"
  | "list";

/** The options of what people type as a line. */
export const typed = [
  "required",
  "required when",
  "unique",
  "default",
  "fill",
  "placeholder",
] as const;

/** The options of what people choose or point at, such as a day. */
export const chosen = ["required", "required when", "unique", "default", "fill"] as const;

/**
 * What a field can be used for: a column of a list that names none, the order of a list, an index for
 * that order, the title of a record, a group of fields that is unique.
 */
export type Use = "column" | "order" | "index" | "title" | "group";

export const allUses = ["column", "order", "index", "title", "group"] as const;

/** A constant; or why the text isn't one, said after `the default ...`. */
export type Constant = Default | { why: string; help?: string };
