import ansis from "ansis";
import type { ColumnValues } from "../core/tabular/column-values.ts";
import type {
  FieldNotes,
  FieldPlan,
  PlanNotes,
  SheetNotes,
  SheetPlan,
} from "../core/tabular/plan.ts";
import { takenFields } from "../core/tabular/plan-model.ts";
import type { OpenQuestion } from "../core/tabular/questions.ts";
import type { SheetOutcome } from "../flows/import/convert.ts";
import type { Loaded } from "../flows/import/loaded.ts";
import type { PreparedImport } from "../flows/import/prepare.ts";
import { shown } from "./terminal.ts";
import { conflictLines, count, table } from "./words.ts";

/** What an import is going to do, sheet by sheet. */
export function previewText(prepared: PreparedImport, width: number): string {
  const { plan, notes, questions, sheets, untaken, setAside } = shown(prepared);
  const parts = plan.sheets.map((sheet, at) =>
    sheetText(sheet, notes?.sheets[at], sheets[at] as SheetOutcome, width),
  );
  const aside =
    setAside.count === 0
      ? []
      : [
          `${ansis.bold("Set aside")}, with the reasons, in data/set-aside: ${count(setAside.count, "entry", "entries")}`,
          table(
            setAside.first.map(({ file, sheet, cell, value, reason }) => [
              `  ${ansis.dim(sheet || file)}`,
              cell,
              quote(value, 32),
              cut(reason, Math.max(40, width - 70)),
            ]),
          ),
          ...(setAside.count > setAside.first.length
            ? [ansis.dim(`  and ${count(setAside.count - setAside.first.length, "more", "more")}`)]
            : []),
        ];
  const left = untaken.map(
    (name) => `${ansis.yellow("!")} ${name}: the plan says nothing of it, and it stays out`,
  );
  const guesses = plan.sheets.length > 1 && notes ? guessesText(plan.sheets, notes, width) : "";
  // Splits have a line of their own at their sheet.
  const open = questions
    .filter(({ field }) => field)
    .flatMap((question) =>
      questionText(question).map((line, at) => cut(at === 0 ? line : `  ${at}  ${line}`, width)),
    );
  const asked =
    open.length === 0
      ? ""
      : [`${ansis.bold("Open questions")}; the first answer is taken`, ...open].join("\n");
  return [
    ...parts,
    left.join("\n"),
    aside.join("\n"),
    guesses,
    asked,
    sheets.length > 1 ? `In all ${totalText(sheets)}` : "",
  ]
    .filter(Boolean)
    .join("\n\n");
}

/** What was guessed in all sheets, once more at the end, where it is seen. */
function guessesText(sheets: readonly SheetPlan[], notes: PlanNotes, width: number): string {
  const lines = sheets.flatMap(({ sheet, file, fields }, at) =>
    fields.flatMap(({ name, column }) => {
      const { guess, questions } = notes.sheets[at]?.fields.get(name) ?? {};
      // What is asked is listed with its answers.
      return guess && !questions
        ? [`  ${ansis.yellow("?")} ${sheet ?? file}, ${column}: ${guess}`]
        : [];
    }),
  );
  if (lines.length === 0) return "";
  const title = `${ansis.bold("Guesses to check")}: ${count(lines.length, "column")}`;
  return [title, ...lines.map((line) => cut(line, width))].join("\n");
}

/** A question, and each answer with what it makes of some cells. */
export function questionText({ about, ask, choices }: OpenQuestion): string[] {
  const longest = Math.max(...choices.map(({ say }) => say.length));
  return [
    `${ansis.yellow("?")} ${about}: ${ask}`,
    ...choices.map(({ say, gives }) => {
      const cells = gives.map(({ written, stored }) =>
        written === stored ? quote(written, 24) : `${quote(written, 24)} → ${cut(stored, 24)}`,
      );
      return `${say.padEnd(longest)}  ${ansis.dim(cells.join("  "))}`.trimEnd();
    }),
  ];
}

/** What was taken where nobody answered, once more at the end. */
export function takenAnswers(all: readonly OpenQuestion[]): string[] {
  const questions = all.filter(({ field }) => field);
  if (questions.length === 0) return [];
  return [
    `\n${count(questions.length, "question was", "questions were")} answered by the first choice; the plan in imports/ has the others:`,
    ...questions.map(({ about, ask, choices }) => `  ${about}: ${ask} ${choices[0]?.say}`),
  ];
}

/** The rows of all sheets, and where they go. */
export function totalText(sheets: readonly SheetOutcome[]): string {
  const sum = (which: "rows" | "kept" | "setAside") =>
    sheets.reduce((all, { counts }) => all + counts[which], 0);
  return rowsText({ rows: sum("rows"), kept: sum("kept"), setAside: sum("setAside") });
}

/** Where the rows of a sheet go, as in `12 rows = 11 kept + 1 set aside`. */
export function rowsText({
  rows,
  kept,
  setAside,
  cellsSetAside = 0,
}: {
  rows: number;
  kept: number;
  setAside: number;
  cellsSetAside?: number;
}): string {
  const cells =
    cellsSetAside > 0 ? `; single cells set aside: ${cellsSetAside.toLocaleString("en")}` : "";
  return `${count(rows, "row")} = ${kept.toLocaleString("en")} kept + ${setAside.toLocaleString("en")} set aside${cells}`;
}

function sheetText(
  sheet: SheetPlan,
  notes: SheetNotes | undefined,
  outcome: SheetOutcome,
  width: number,
): string {
  const titles = ["", "column", "field", "type", ...(notes ? ["why"] : [])];
  const ordered = doubtfulFirst(takenFields(sheet), notes);
  const lines = ordered.map((field) => [
    isDoubtful(notes?.fields.get(field.name)) ? ansis.yellow("?") : " ",
    cut(field.formula === undefined ? field.column : `= ${field.formula}`, 24),
    field.name,
    cut(typeText(sheet, field), Math.max(28, Math.floor(width * 0.34))),
    ...(notes ? [notes.fields.get(field.name)?.why ?? ""] : []),
  ]);
  const [heading = "", ...rest] = table([titles.map((title) => ansis.dim(title)), ...lines]).split(
    "\n",
  );
  const fields = [
    heading,
    ...ordered.flatMap((field, at) => {
      const values = valueLines(
        outcome.values.get(field.name),
        notes?.fields.get(field.name),
        width - 5,
      );
      return [rest[at] ?? "", ...values.map((line) => ansis.dim(`     ${line}`))];
    }),
  ].map((line) => cut(line, width));
  return [
    `${ansis.bold(outcome.name)} ${ansis.dim("becomes")} ${ansis.bold(sheet.entity)}`,
    ...fields,
    ...(notes ? remarks(sheet, notes, width) : []),
    ...outcome.totals.map((said) => `  ${ansis.dim("·")} ${cut(said, width - 4)}`),
    ...outcome.unknown.map(
      (column) =>
        `  ${ansis.yellow("!")} the plan doesn't know the column ${column}: its cells are set aside`,
    ),
    `  ${rowsText(outcome.counts)}`,
  ].join("\n");
}

/** Whether something is guessed of a field, or some of its cells don't fit. */
export function isDoubtful(notes: FieldNotes | undefined): boolean {
  return notes?.guess !== undefined || notes?.setAside !== undefined;
}

/** The fields of a sheet, what is doubtful before the others. */
export function doubtfulFirst(
  fields: readonly FieldPlan[],
  notes: SheetNotes | undefined,
): FieldPlan[] {
  const doubtful = (field: FieldPlan) => isDoubtful(notes?.fields.get(field.name));
  return [...fields.filter(doubtful), ...fields.filter((field) => !doubtful(field))];
}

/** The first values as they are written and as they are stored, and what is known of all. */
function valueLines(
  values: ColumnValues | undefined,
  notes: FieldNotes | undefined,
  width: number,
): string[] {
  if (!values || values.filled === 0) return [];
  const { examples } = values;
  const pairs = examples.map(({ written, stored }) =>
    written === stored
      ? quote(written, 24)
      : `${quote(written, 24)} → ${cut(stored.replaceAll("\n", " + "), 24)}`,
  );
  const parts = [pairs.join("  "), valueFacts(values, notes)].filter(Boolean);
  const line = parts.join("  ·  ");
  return [...line].length <= width ? [line] : parts;
}

/** What is known of all values of a column. */
export function valueFacts(
  values: ColumnValues | undefined,
  notes: FieldNotes | undefined,
): string {
  if (!values || values.filled === 0) return "";
  const { smallest, largest, sum, blank } = values;
  return [
    smallest !== undefined && `smallest ${smallest}`,
    largest !== undefined && `largest ${largest}`,
    sum !== undefined && `sum ${sum}`,
    notes && `${notes.distinct.toLocaleString("en")} different`,
    blank > 0 && `${blank.toLocaleString("en")} blank`,
  ]
    .filter(Boolean)
    .join(", ");
}

/** What a field becomes, in a word or two; for a split that is done, the entity that it moves to. */
export function typeText(
  { splits }: SheetPlan,
  { name, is = "as in the model" }: FieldPlan,
): string {
  const split = splits.find((each) => each.do && (each.by === name || each.with.includes(name)));
  if (!split) return is;
  return split.by === name
    ? `${split.list === undefined ? "one" : "many"} ${split.entity}`
    : `a field of ${split.entity}`;
}

function remarks(sheet: SheetPlan, notes: SheetNotes, width: number): string[] {
  const fields = takenFields(sheet).flatMap((field) => {
    const found = notes.fields.get(field.name);
    if (!found) return [];
    return fieldRemarks(found).map((said) => `${markOf(found, said)} ${field.column}: ${said}`);
  });
  const [first, ...more] = splitRemarks(sheet, notes);
  const splits = first ? [`${ansis.cyan("?")} ${first}`, ...more.map((line) => `  ${line}`)] : [];
  const key = notes.key ? [`${ansis.yellow("?")} ${notes.key}`] : [];
  return [
    ...notes.around.map((said) => `${ansis.dim("·")} ${said}`),
    ...key,
    ...fields,
    ...splits,
  ].map((line) => `  ${cut(line, width - 2)}`);
}

function markOf({ guess, formula }: FieldNotes, said: string): string {
  if (said === guess) return ansis.yellow("?");
  return formula && said.includes(formula) ? ansis.dim("·") : ansis.yellow("!");
}

/** The columns that could be entities of their own. */
export function splitRemarks({ splits }: SheetPlan, notes: SheetNotes): string[] {
  return [...notes.splits].flatMap(([entity, [said = "", ...more]]) => {
    const isDone = splits.some((split) => split.entity === entity && split.do);
    const what = isDone
      ? `They become the entity ${entity}; \`do: no\` in the plan keeps the text`
      : `An entity ${entity} of their own? In the plan: do: yes`;
    return [`${said}. ${what}`, ...more];
  });
}

/** What is guessed of a column, computed in it, or doesn't fit. */
export function fieldRemarks({ guess, setAside, formula }: FieldNotes): string[] {
  const cells = (setAside?.cells ?? [])
    .slice(0, 4)
    .map(
      ({ address, text, reason, near }) =>
        `${address} ${quote(text, 24)} ${reason}${near ? `, perhaps ${quote(near, 24)}` : ""}`,
    );
  const more = (setAside?.count ?? 0) > cells.length ? "; …" : "";
  return [
    ...(guess ? [guess] : []),
    ...(formula ? [`computed in every row as ${formula}; the values are taken`] : []),
    ...(setAside
      ? [`${count(setAside.count, "cell doesn't", "cells don't")} fit: ${cells.join("; ")}${more}`]
      : []),
  ];
}

/** A line no wider than the terminal, its colours closed. */
function cut(text: string, width: number): string {
  const plain = ansis.strip(text);
  if ([...plain].length <= width) return text;
  if (plain === text) return `${[...text].slice(0, Math.max(1, width - 1)).join("")}…`;
  let room = Math.max(1, width - 1);
  let shown = "";
  // biome-ignore lint/suspicious/noControlCharactersInRegex: the colours of a terminal begin with one
  for (const [piece] of text.matchAll(/\x1b\[[0-9;]*m|./gsu)) {
    if (piece.startsWith("\x1b")) shown += piece;
    else if (room-- > 0) shown += piece;
  }
  return `${shown}…`;
}

function quote(text: string, most: number): string {
  return JSON.stringify(cut(text, most));
}

/** What loading does with the rows that are in the database. */
export function loadedText(all: readonly Loaded[], done: boolean): string {
  const loaded = shown(all);
  const lines = loaded.map((each) => [
    each.plural,
    `${each.added.toLocaleString("en")} new`,
    `${each.changed.toLocaleString("en")} changed`,
    `${each.same.toLocaleString("en")} the same`,
    `${each.missing.toLocaleString("en")} not in the file${each.deleted > 0 ? `, ${each.deleted.toLocaleString("en")} ${done ? "deleted" : "to be deleted"}` : ""}`,
    ...(each.conflicts > 0
      ? [ansis.yellow(`${each.conflicts.toLocaleString("en")} kept as changed in the application`)]
      : [""]),
  ]);
  return [table(lines), ...loaded.flatMap(unmatchedLines), ...loaded.flatMap(conflictLines)].join(
    "\n",
  );
}

/** Rows that may be there twice now: as they were, and as they were corrected. */
function unmatchedLines({ plural, isMatched, added, missing, deleted }: Loaded): string[] {
  if (isMatched || added === 0 || missing - deleted <= 0) return [];
  return [
    `${ansis.yellow("!")} The model doesn't say which fields identify ${plural}, so whole rows were compared: a row that was corrected in the file is now there twice, with the old values and with the new ones.`,
    "  Add them to the model, as in `unique: [hive, date]`; or add --delete-missing, which deletes the rows that the file no longer has.",
  ];
}
