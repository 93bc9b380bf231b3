import type { Child } from "hono/jsx";
import type { RawBuilder } from "kysely";
import * as z from "zod";
import type { WrittenKind } from "../database/contract.ts";
import type { Label } from "../entity/label.ts";
import type { Messages } from "../messages/en.ts";
import type { Formats } from "../messages/formats.ts";
import { late } from "../messages/late.ts";

/** The kinds of fields. Every table of the kit that goes by them is total, so that a new one doesn't compile until all know it. */
export type FieldKind =
  | "text"
  | "long text"
  | "integer"
  | "decimal"
  | "span"
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
  | "choice"
  | "reference"
  | "references"
  | "tags"
  | "image"
  | "file";

/** The colours of choices and rows, as `ui/tokens.css` has them. */
export type Color =
  | "red"
  | "orange"
  | "yellow"
  | "green"
  | "teal"
  | "blue"
  | "violet"
  | "pink"
  | "brown"
  | "grey";

/** By what a field reads and writes its values: the language and the clock of the person who types. */
export interface FieldScope {
  messages: Messages;
  format: Formats;
  /** This day in the time zone of the person, as `2026-05-03`. */
  today: string;
  timezone: string;
}

/** The value of what was typed; or what is wrong with it. */
export type Reading<Value> = { value: Value } | { error: string };

/** The attributes of an `<input>`, `<select>` or `<textarea>`. */
export type Attributes = Record<string, string | number | boolean>;

/** What is computed from typed values, in SQL; a value that wasn't typed is undefined. */
export type TypedFormula = (
  values: Readonly<Record<string, unknown>>,
  scope: FormulaScope,
) => RawBuilder<unknown>;

/** What formulas may look at besides their own row. */
export interface FormulaScope {
  today: string;
  now: string;
  /** The number of the record that whoever asks is; 0 for nobody. */
  me: number;
  /** The rows of a table that the person may see, to select from. */
  rows(table: string): RawBuilder<unknown>;
}

/** A computed value, in SQL. */
export type Formula<Value> = (scope: FormulaScope) => RawBuilder<Value>;

/** The link table behind a field that holds many records. */
export interface LinkTable {
  table: string;
  /** The column of the record that has the field. */
  from: string;
  /** The column of the records that are in it. */
  to: string;
}

/** A field of an entity. `Value` is what its column holds; of several records, their numbers. */
export interface Field<Value = unknown> {
  readonly kind: FieldKind;
  readonly label: Label;
  /** What a number counts: `kg`. */
  readonly unit?: Label;
  /** The digits that a number has behind the point at most; none without it. */
  readonly places?: number;
  /** What a number is smaller than, whatever its sign, where it has a range. */
  readonly most?: number;
  readonly required: boolean;
  /** The choices by value, with their labels. */
  readonly choices?: Readonly<Record<string, Label>>;
  /** The colours of choices that have one. */
  readonly colors?: Readonly<Record<string, Color>>;
  /** What a new record starts with, if anything. */
  start?(scope: FormulaScope): unknown;
  attributes(scope: FieldScope): Attributes;
  /** Reads what was typed. */
  read(typed: readonly string[], scope: FieldScope): Reading<Value>;
  /** The text that the input of a stored value starts with. */
  write(value: Value, scope: FieldScope): string;
}

/** A field that is computed and never typed. */
export interface ComputedField<Value = unknown> extends Field<Value> {
  readonly formula: Formula<Value>;
  /** The same as people write formulas, for those that look at it. */
  readonly written: string;
}

/** A field that no form asks for. */
export interface UnaskedField {
  readonly unasked: true;
  /** What a new record has in it, of the values of its other fields. */
  readonly made?: TypedFormula;
}

/** A field that refers to a record of another entity, by the name of that entity. */
export interface ReferenceField<Value = unknown> extends Field<Value> {
  readonly kind: "reference";
  readonly to: string;
  /** Records that are parts of the one they refer to are deleted with it. */
  readonly part?: boolean;
  /** At most one record refers to each. */
  readonly single?: boolean;
  /** Only records of people who can sign in are chosen. */
  readonly signsIn?: boolean;
}

/** A field that holds any number of records of another entity. */
export interface ReferencesField extends Field<number[]> {
  readonly kind: "references";
  readonly to: string;
  readonly through: LinkTable;
}

/** What the builders of all fields take. */
export interface FieldOptions<Value> {
  label: Label;
  /** What a new record starts with. */
  start?: Value;
}

/** What the kit knows of all fields of a kind. */
export interface FieldType {
  /** Columns of numbers stand to the right. */
  numeric: boolean;
  /** Ordered by its letters, whatever their case. */
  textual: boolean;
  /** The search box of a list looks into it. */
  searched: boolean;
  /** A list can be sorted by it. */
  sortable: boolean;
  /** A cell with it can be the link to its record. */
  leads: boolean;
  /** How a list is filtered by it: by some of its values, from one to another, or by whether there is one. */
  filter: "choices" | "numbers" | "tags" | "days" | "moments" | "presence" | "none";
  /** As what databases write it within a text; undefined for what is text already. */
  written?: WrittenKind;
  /** What its numbers count, if that isn't said by each field. */
  unit?(scope: FieldScope): string;
  /** Said of one that is left blank and may not be. */
  blank(messages: Messages): string;
  /** A value as pages show it; `at` is the address of the files in it, where there are some. */
  show(value: unknown, field: Field, scope: FieldScope, at?: string): Child;
}

/** What is wrong with a value, in the language of the one who typed it. */
export type Say = (messages: Messages, scope: FieldScope) => string;

/** How values are checked: by a Zod schema of the typed text, between what makes it independent of languages and clocks. */
interface Check<Value> {
  schema(): z.ZodType<unknown, unknown>;
  before?(text: string, scope: FieldScope): string;
  after?(value: never, scope: FieldScope): Reading<Value>;
}

/** A check for a Zod schema, with what is said where it fails. */
export function says(say: Say, abort = true) {
  return { params: { say }, abort };
}

/** The reading of a field by a schema. Blank is refused, unless the field is optional. */
export function readBy<Value>({ schema, before, after }: Check<Value>, blank: FieldType["blank"]) {
  const check = late(schema);
  return (typed: readonly string[], scope: FieldScope): Reading<Value> => {
    const [text = ""] = typed;
    if (isBlank(text)) return { error: blank(scope.messages) };
    // Longer texts are refused by the schema, before anything is done with them.
    const ready = before && text.length <= longestNumber ? before(text, scope) : text;
    const result = check().safeParse(ready);
    if (!result.success) return { error: sentenceOf(result.error, scope) };
    return after ? after(result.data as never, scope) : { value: result.data as Value };
  };
}

/** Whether nothing was typed. Longer texts of spaces are refused for their length. */
export function isBlank(text = ""): boolean {
  return text.length <= longestBlank && text.trim() === "";
}

const longestBlank = 10_000;

/** What the first failed check says. */
export function sentenceOf(error: z.ZodError, scope: FieldScope): string {
  const [issue] = error.issues;
  const say = (issue as { params?: { say?: Say } } | undefined)?.params?.say;
  return say ? say(scope.messages, scope) : scope.messages.valuesRefused;
}

/** The most characters of a number, a date or a time, as somebody types it. */
const longestNumber = 40;

/** Marks on one letter: more of them are no writing of any language, and take long to be put in order. */
const stackedMarks = /\p{M}{31}/u;

/** A typed text: trimmed, and without the one character no database keeps. Its length is checked before anything else. */
export function typedText(longest = longestNumber) {
  return z
    .string()
    .refine(
      (typed) => typed.length <= longest,
      says(({ tooLong }) => tooLong),
    )
    .refine(
      (typed) => !stackedMarks.test(typed),
      says(({ tooManyMarks }) => tooManyMarks),
    )
    .transform((typed) => typed.trim().normalize("NFC").replaceAll("\r\n", "\n"))
    .pipe(
      z.string().refine(
        (typed) => !typed.includes("\0"),
        says(({ unstorable }) => unstorable),
      ),
    );
}
