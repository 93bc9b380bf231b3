/** What the kit and a kind of database say to each other. */

/** Why a statement was refused, where the reason is in the data: which columns, as far as the database says. */
export interface Refusal {
  reason: "unique" | "reference" | "check";
  columns: string[];
  /** The name of the check that isn't held to, where it has one. */
  check?: string;
}

/** The kinds of values that formulas are computed of. */
export type GivenKind = "text" | "number" | "boolean" | "date" | "time" | "datetime" | "reference";

/** The kinds of values that databases write in a way of their own when they stand within a text. */
export type WrittenKind = "number" | "boolean" | "time" | "datetime";
