import { type RawBuilder, sql } from "kysely";
import type { Field } from "../../fields/field.ts";

/** A value by which a list can be filtered, and how many rows have it. */
export interface FacetValue {
  value: string;
  /** What people read; undefined for what the field itself knows. */
  title?: string;
  count: number;
  /** Whether there are more than that, which weren't counted. */
  more?: boolean;
}

export interface Spread {
  /** How many rows are in each part. */
  parts: { from: string; to: string; count: number }[];
}

/** What was counted of a field. */
export interface Counted {
  values?: FacetValue[];
  more?: boolean;
  blank?: number;
  spread?: Spread | undefined;
  /** Where it was estimated by a sample: for how many rows one of that stands. */
  each?: number;
}

/** That a choice or a boolean has a value. */
export function isValue(
  field: Field,
  value: RawBuilder<unknown>,
  text: string,
): RawBuilder<unknown> {
  if (field.kind === "boolean") return text === "yes" ? sql`${value}` : sql`not ${value}`;
  return sql`${value} = ${text}`;
}
