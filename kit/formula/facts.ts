import { isAscii } from "./ascii.ts";
import type { Calculation, Result, RowSource } from "./calculation.ts";
import type { Choices } from "./typing.ts";
import type { ValueType } from "./value-type.ts";
import type { Says } from "./words.ts";

/** What formulas know of the entities that they look at: made from a model, or from what an application knows of itself. */
export interface Facts {
  entity(name: string): EntityFacts;
  /** The entity of `me`, whoever asks; undefined where people are no records. */
  readonly me?: string | undefined;
}

export interface EntityFacts {
  name: string;
  table: string;
  fields: ReadonlyMap<string, FieldFacts>;
  /** The records that refer to one of this entity, by the names of their lists. */
  lists: ReadonlyMap<string, ListFacts>;
  /** What fields and lists were called before, and what they are called now. */
  formerly: ReadonlyMap<string, string>;
}

export type FieldFacts =
  | { kind: "value"; value: ValueType; column: ColumnFacts; choices?: Choices }
  /** A reference. */
  | { kind: "record"; entity: string; column: ColumnFacts }
  /** A field of files, of which no more can be said than whether it is empty. */
  | { kind: "files"; column: ColumnFacts }
  | ({ kind: "rows" } & ListFacts)
  | { kind: "computed"; formula: string; rounded?: number | undefined }
  /** A field that formulas can't use, and why. */
  | { kind: "nothing"; reason: Says };

export interface ListFacts {
  entity: string;
  source: RowSource;
}

/** The column of a field, of whichever row. */
export type ColumnFacts = Result & Omit<Extract<Calculation, { kind: "column" }>, "kind" | "row">;

/** The columns that every entity has. */
export const automaticColumns: Readonly<Record<string, "number" | "moment">> = {
  id: "number",
  version: "number",
  created_at: "moment",
  updated_at: "moment",
};

/** What is known of the letters of a text that is one of some choices. */
export function lettersOf(choices: readonly string[]): Pick<ColumnFacts, "letters"> {
  if (choices.length === 0 || !choices.every(isAscii)) return {};
  return {
    letters: choices.every((choice) => choice === choice.toLowerCase()) ? "small" : "ascii",
  };
}
