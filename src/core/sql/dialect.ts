import type { Step } from "../evolution/steps.ts";

/** What a database's own SQL is made by. A new database is one more of these. */
export interface Dialect {
  /** The word in the names of SQL files: `forward.sqlite.sql`. */
  name: "sqlite" | "postgres" | "mariadb";
  /** The statements that take a step, in order, without the semicolons. */
  forward(step: Step): string[];
  /** The statements that take it back. */
  back(step: Step): string[];
  /** A name in quotes. */
  quoted(name: string): string;
}

/** Statements as a script that people can read. */
export function script(statements: readonly string[]): string {
  return statements.map((statement) => `${statement};\n`).join("\n");
}
