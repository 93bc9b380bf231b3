import type { WrittenPart } from "../../../kit/migrations/script-part.ts";
import { visible } from "../naming/characters.ts";
import { capitalized } from "../naming/words.ts";

/** What scripts are made of; the reader in `kit/migrations/script.ts` has the same type. */
export type ScriptPart = WrittenPart;

/** The part of a script that one or several steps become. */
export interface Section {
  /** What the steps do, in sentences. */
  sentences: string[];
  parts: ScriptPart[];
}

/**
 * Sections as a script that people can read and edit; kit/migrations/script.ts reads it. Where the numbers of
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
