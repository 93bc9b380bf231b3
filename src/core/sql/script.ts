import { visible } from "../naming/characters.ts";
import { capitalized } from "../naming/words.ts";

/**
 * A piece of a migration's script: statements, or something that the runner does. What the runner does is
 * written as a comment, which every database leaves alone: `-- keep hive-notes: select …;`
 */
export type ScriptPart =
  | { kind: "run"; sql: string }
  /** Streams the rows of a query on a table, or the values of one of its columns, into a file. */
  | { kind: "keep"; file: string; table: string; column?: string; query: string }
  /** Makes a temporary table of such a file; its first column is the key if it is `id`. */
  | { kind: "bring back"; file: string; table: string }
  /** Ends the migration when the query has rows; they have the columns `id` and `value`. */
  | { kind: "assert no rows"; sentence: string; query: string }
  /** Remembers what somebody added to a table by hand, besides the columns that it is known to have. */
  | { kind: "hold triggers"; table: string; columns: string[] }
  /** Puts back what is gone of it. */
  | { kind: "return triggers"; table: string }
  /** Something that nobody wrote SQL for. */
  | { kind: "no way"; about: string };

/** The part of a script that one or several steps become. */
export interface Section {
  /** What the steps do, in sentences. */
  sentences: string[];
  parts: ScriptPart[];
}

/**
 * Sections as a script that people can read and edit; kit/database/script.ts reads it. Where the numbers of
 * their steps are given, they are before the sentences.
 */
export function printScript(sections: readonly Section[], numbers?: readonly number[]): string {
  return sections
    .map(({ sentences, parts }, at) =>
      [
        ...sentences.map(
          (sentence) =>
            `-- ${numbers ? `step ${numbers[at]}: ` : ""}${capitalized(oneLine(sentence))}\n`,
        ),
        ...parts.map(printPart),
      ].join(""),
    )
    .join("\n");
}

function printPart(part: ScriptPart): string {
  switch (part.kind) {
    case "run":
      return `${part.sql};\n`;
    case "keep":
      return directive(
        `keep ${part.file} of ${part.table}${part.column ? ` (${part.column})` : ""}: ${part.query}`,
      );
    case "bring back":
      return directive(`bring back ${part.file} as ${part.table}`);
    case "assert no rows":
      // What follows the first `): ` is the query.
      return directive(
        `assert no rows (${oneLine(part.sentence).replaceAll("):", ") :")}): ${part.query}`,
      );
    case "no way":
      return directive(`there is no SQL for this: ${oneLine(part.about)}`);
    case "hold triggers":
      return directive(`hold triggers of ${part.table} with ${part.columns.join(", ")}`);
    case "return triggers":
      return directive(`return triggers of ${part.table}`);
  }
}

/** A sentence that can't end the comment it is in. A capital begins it, so that it is no order to the runner. */
function oneLine(text: string): string {
  return visible(text.replace(/\s+/gu, " ")).trim();
}

/** A comment that the runner understands; its other lines are indented. */
function directive(text: string): string {
  return `-- ${text.replaceAll("\n", "\n--   ")};\n`;
}
