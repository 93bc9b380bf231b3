import { inSentence, labelOf, pluralOf } from "../naming/words.ts";
import { columnLetters, quote } from "./cells.ts";
import type { Draft, DraftColumn, ProfiledSheet } from "./draft.ts";
import type { FieldNotes, NotedCell } from "./plan.ts";
import type { Example } from "./profile.ts";
import { isIdentifying, isNearlyKey } from "./relationships.ts";

/** What is said beside a field: why, what was guessed, and which cells won't fit. */
export function fieldNotes(
  column: DraftColumn,
  unique: boolean,
  { sheet: { formulas, addresses }, columns }: Draft,
): FieldNotes {
  const { finding, profile, link } = column;
  const at = (row: number, elsewhere = profile.column) => addresses.cell(elsewhere, row);
  const blanks = profile.blanks > 0 ? `, ${profile.blanks} blank` : "";
  const cells: NotedCell[] = link
    ? link.strangers.examples.map(({ row, column: from, text, near }) => ({
        address: at(row, from),
        text,
        reason: `not among the ${inSentence(pluralOf(labelOf(link.key.entity)))}`,
        ...(near && { near }),
      }))
    : finding.exceptions.examples.map(({ row, column: from, text, reason, near }) => ({
        address: at(row, from),
        text,
        reason,
        ...(near && { near }),
      }));
  let count = link ? link.strangers.count : finding.exceptions.count;
  if (unique && !link) {
    const repeats = profile.distinct.repeats();
    count += profile.distinct.repeated;
    for (const { text, rows } of repeats) {
      for (const row of rows.slice(1)) {
        cells.push({
          address: at(row),
          text: text ?? "",
          reason: `is already in ${at(rows[0] ?? 0)}: that row is set aside`,
        });
      }
    }
  }
  const [repeat] =
    !link && isNearlyKey(column) && isIdentifying(column) ? profile.distinct.repeats() : [];
  const guesses = [
    !link && finding.guess,
    repeat &&
      `would be unique, but ${quote(repeat.text ?? "a value")} is in ${at(repeat.rows[0] ?? 0)} and ${at(repeat.rows[1] ?? 0)}`,
  ].filter(Boolean);
  const formula = namedFormula(formulas?.get(profile.column), columns);
  const why = link
    ? `${link.matching} ${link.kind === "many" ? "cells have values" : "cells have a value"} of ${link.key.entity}, ${link.key.profile.header || columnLetters(link.key.profile.column)}${blanks}`
    : `${finding.why}${blanks}${unique && profile.distinct.repeated === 0 ? ", no two alike" : ""}`;
  return {
    why,
    distinct: profile.distinct.size,
    ...(guesses.length > 0 && { guess: guesses.join("; ") }),
    ...(!link && questionsOf(column)),
    ...(count > 0 && { setAside: { count, cells } }),
    ...(formula && { formula }),
  };
}

/** What is asked about a column, with cells that may tell somebody the answer. */
export function questionsOf({
  finding: { questions = [] },
  profile: { groups },
}: DraftColumn): Pick<FieldNotes, "questions" | "samples"> {
  if (questions.length === 0) return {};
  const texts = groups.flatMap(({ examples }) => examples.map(({ text }) => text.trim()));
  return { questions, samples: [...new Set(texts)].slice(0, mostSamples) };
}

const mostSamples = 20;

/** A formula of the row's cells, by the names of their fields: `C#*E#` is `weight * price`. */
function namedFormula(
  formula: string | undefined,
  columns: readonly DraftColumn[],
): string | undefined {
  return formula
    ?.replace(/([A-Z]{1,3})#/g, (cell, letters: string) => {
      const column = columns.find(({ profile }) => columnLetters(profile.column) === letters);
      return column?.name ?? cell;
    })
    .replace(/\s*([-+*/])\s*/g, " $1 ");
}

/** What was found around a table, in sentences. */
export function aroundTable({
  addresses,
  shape,
  profile,
  above,
  hidden,
  text,
  remarks = 0,
  strayQuotes = [],
}: ProfiledSheet): string[] {
  const said = [...shape.why];
  const example = (first: Example | undefined) =>
    `${addresses.row(first?.row ?? 0)}, ${quote(first?.text ?? "")}`;
  if (strayQuotes.length > 0) {
    said.push(
      `${plural(strayQuotes.length, "row")} with stray quotes, the first row ${strayQuotes[0]}`,
    );
  }
  if (hidden) said.push("the sheet is hidden in its workbook");
  if (remarks > 0) {
    said.push(
      `${plural(remarks, "comment or link", "comments and links")} of cells, set aside with their addresses`,
    );
  }
  if (text && !text.encoding.startsWith("utf")) {
    said.push(`the letters are read as ${text.encoding}; \`encoding\` in the plan changes that`);
  }
  if (above.length > 0) {
    const first = above[0];
    said.push(
      `${plural(above.length, "cell")} above the header, the first ${first?.address} ${quote(first?.text ?? "")}`,
    );
  }
  if (!profile.layout.header)
    said.push("no header was found: the columns are named by their values, or by their letters");
  const words = {
    total: "row of totals",
    note: "note below the table",
    "header again": "row that repeats the header",
  };
  for (const [kind, { count, examples }] of profile.leftOut) {
    const named = plural(count, words[kind], words[kind].replace(/^(row|note)/, "$1s"));
    said.push(`${named}: ${example(examples[0])}`);
  }
  if (profile.calledTotal.count > 0) {
    said.push(
      `${plural(profile.calledTotal.count, "row")} called a total that is not a sum of the rows above, and kept: ${example(profile.calledTotal.examples[0])}`,
    );
  }
  if (profile.beside.count > 0) {
    said.push(
      `${plural(profile.beside.count, "cell")} beside the table: ${example(profile.beside.examples[0])}`,
    );
  }
  return said;
}

function plural(count: number, one: string, many = `${one}s`): string {
  return `${count} ${count === 1 ? one : many}`;
}
