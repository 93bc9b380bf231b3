/**
 * A piece of a migration's script: statements, or something that the runner does, which is written as a
 * comment. A comment's further lines are indented by three spaces.
 */
export type ScriptPart =
  | { kind: "run"; sql: string }
  /** Streams the rows of a query on a table, or the values of one of its columns, into a file. */
  | { kind: "keep"; file: string; table: string; column?: string; query: string }
  /** Makes a temporary table of such a file; its first column is the key if it is `id`. */
  | { kind: "bring back"; file: string; table: string }
  /** Ends the migration when the query has rows, which have an `id` and a `value`. */
  | { kind: "assert no rows"; sentence: string; query: string }
  /** Remembers what somebody added to a table by hand, besides the columns that it is known to have. */
  | { kind: "hold triggers"; table: string; columns: string[] }
  /** Puts back what is gone of it. */
  | { kind: "return triggers"; table: string }
  /** Something that nobody wrote SQL for. */
  | { kind: "no way"; about: string }
  /** Where the parts of a step begin. */
  | { kind: "step"; number: number };

/** A piece that a script is printed from; where steps begin is said by its sections. */
export type WrittenPart = Exclude<ScriptPart, { kind: "step" }>;
