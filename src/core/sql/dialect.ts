import type { Step } from "../evolution/steps.ts";
import type { Column, Schema } from "../schema/schema.ts";
import type { Limits } from "./limits.ts";
import type { Section } from "./script.ts";

/** Makes the SQL of one database. A new database implements this. */
export interface Dialect {
  /** The database's name in the names of SQL files: `forward.sqlite.sql`. */
  name: "sqlite" | "postgres" | "mariadb";
  /**
   * Whether a script runs in one transaction. Where it can't, each step is a section of its own, which looks
   * first whether rows violate it and lays nothing aside in tables that go with the connection.
   */
  transactional: boolean;
  /** What takes steps, in order, from a schema. */
  sections(steps: readonly Step[], before: Schema): Section[];
  /** What rows a step touches, in the schema right before it. */
  risks(step: Step, before: Schema): Risk[];
  /** The tables of which every row is rewritten. */
  rewritten(steps: readonly Step[]): string[];
  /** Its limits. */
  limits: Limits;
  /** A quoted name. */
  quoted(name: string): string;
  literal(value: string | number | boolean): string;
  /** A kept value, as a column of its type takes it. */
  keptValue(value: string, column: Pick<Column, "type">): string;
  /** What makes a table continue after the numbers that were inserted into it, where it doesn't by itself. */
  numbersGoOn?(table: string): string;
}

/** Rows that violate a step, or of which it deletes something. */
export interface Risk {
  kind: "blocking" | "lost";
  table: string;
  /** What is wrong with them: `have no value for town`. */
  sentence: string;
  /** Selects them, with their `id` and the `value` that is concerned. */
  query: string;
}
