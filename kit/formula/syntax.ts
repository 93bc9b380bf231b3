import type { Calculation, Operation } from "./calculation.ts";
import type { ValueType } from "./value-type.ts";

/** An expression in SQL, and what it computes. */
export interface SqlFragment {
  sql: string;
  of: Calculation;
}

/** How a database computes. */
export interface FormulaSyntax {
  /** A quoted name. */
  quoted(name: string): string;
  constant(value: number | string | boolean | null, type: ValueType): string;
  /** A parameter with the text of a day, such as `2026-05-03`, or of a moment, such as `2026-05-03T07:00:00Z`. */
  parameter(name: string, type: "date" | "moment"): string;
  /** A column, as something to compute with. */
  column(alias: string, column: Extract<Calculation, { kind: "column" }>): string;
  /** A text as it is compared with others. */
  compared(text: SqlFragment, alias: (row: number) => string): string;
  /** A number that is empty unless its size is below `limit`. */
  below(number: string, limit: string): string;
  /** Whether two expressions are the same, nothing and nothing included. */
  same(one: string, other: string): string;
  no: string;
  count: string;
  /** The sum of a column of numbers with so many places; 0 of none. */
  sum(value: string, places: number): string;
  /** A quotient with six places; both numbers have `places` at most. */
  quotient(left: string, right: string, places: number): string;
  /** The SQL of an operation, apart from those that all databases write in the same way. */
  operations: Readonly<
    Record<DatabaseOperation, (given: readonly SqlFragment[], of: Calculation) => string>
  >;
  /** How deep an expression may be within another one before it is named; undefined where the database doesn't mind. */
  deepest?: number;
  /** What is read of a value in the end. */
  read(value: string, type: ValueType): string;
}

/** A column of a row that has an alias, or of the table that is spoken of. */
export function columnOf(alias: string, name: string): string {
  return alias === "" ? name : `${alias}.${name}`;
}

export type DatabaseOperation = Exclude<
  Operation,
  | "divided by"
  | "equal"
  | "different"
  | "less"
  | "at most"
  | "in"
  | "and"
  | "or"
  | "not"
  | "if"
  | "empty"
>;

/** The smallest or largest of values, where the function for it gives nothing as soon as one is empty. */
export function extreme(name: string, values: readonly string[], edge: string): string {
  const filled = values.map((value) => `coalesce(${value}, ${edge})`);
  return `nullif(${name}(${filled.join(", ")}), ${edge})`;
}
