/** The types shared by the kit and each kind of database. */

/** Why a statement was refused, where the reason is in the data: which columns, as far as the database says. */
export interface ConstraintViolation {
  reason: "unique" | "reference" | "check";
  columns: string[];
  /** The name of the check that is violated, where it has one. */
  check?: string;
}

/** The kinds of values in formulas. */
export type BindKind = "text" | "number" | "boolean" | "date" | "time" | "datetime" | "reference";

/** The kinds of values that databases write in a way of their own when they are within a text. */
export type WrittenKind = "number" | "boolean" | "time" | "datetime";

/**
 * Why a statement failed, where the reason is neither in the data nor in the statement:
 *
 * - `conflict`: it met another change, and may well succeed when it is tried again;
 * - `busy`: others were writing for as long as this one was allowed to wait;
 * - `lost`: the connection was lost on the way, so that nobody knows how far the database got;
 * - `slow`: it took longer than a statement may;
 * - `unreachable`: there was no connection to begin with.
 */
export type Trouble = "conflict" | "busy" | "lost" | "slow" | "unreachable";
