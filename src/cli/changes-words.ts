import ansis from "ansis";
import type { ChangeImpact, ChangeReport, CountedRisk, Verdict } from "../flows/changes/changes.ts";
import { shown } from "./terminal.ts";
import { count } from "./words.ts";

const colors: Readonly<Record<Verdict, (text: string) => string>> = {
  safe: ansis.green,
  "rewrites the table": ansis.cyan,
  "the rows must comply": ansis.yellow,
  "deletes data": ansis.red,
  "can't be done": ansis.red,
};

const width = Math.max(...Object.keys(colors).map(({ length }) => length));

/** How the model, the migrations and the database differ, for people. */
export function changesText(changes: ChangeReport): string {
  const { pending, unprepared, drift, unfit } = shown(changes);
  const parts: string[] = [];
  for (const { name, failure, impacts } of pending) {
    parts.push(`${ansis.bold(name)} ${ansis.dim("is prepared, and waits to be applied")}`);
    if (failure) parts.push(`${ansis.red("✗")} the last attempt failed: ${failure}`);
    parts.push(impactsText(impacts), "");
  }
  if (unprepared.length > 0) {
    parts.push(`${ansis.bold("model.yaml")} ${ansis.dim("has changes that no migration has yet")}`);
    parts.push(impactsText(unprepared), "");
  }
  if (drift.length > 0) {
    parts.push(
      `${ansis.bold("The database")} ${ansis.dim("differs from what its migrations made")}`,
    );
    parts.push(...drift.map(({ sentence }) => `${ansis.yellow("!")} ${sentence}`), "");
  }
  if (unfit) parts.push(unfitText(unfit));
  return parts.join("\n").trimEnd();
}

/** Whether the application that runs can go on while changes are applied. */
function unfitText(unfit: readonly string[]): string {
  if (unfit.length === 0) return ansis.dim("The application that runs can go on meanwhile.");
  const [first = "", ...rest] = unfit;
  const more = rest.length > 0 ? `, and ${count(rest.length, "more reason")}` : "";
  return `${ansis.yellow("!")} The application that runs can't go on meanwhile: it ${first}${more}`;
}

/** Changes, each with what is known of its rows. */
export function impactsText(impacts: readonly ChangeImpact[]): string {
  return inFew(impacts).map(impactText).join("\n");
}

/** What is said of a new table of the people who sign in. */
const newOwnTable = /^levadura_(\w+) is new$/;

/** Changes, with all new tables of the people who sign in as one: nobody named these tables. */
function inFew(impacts: readonly ChangeImpact[]): ChangeImpact[] {
  const names = impacts.flatMap(({ sentence }) => newOwnTable.exec(sentence)?.[1] ?? []);
  const sentence = `the tables of the people who sign in are new: ${names.join(", ")}`;
  const first = impacts.find((impact) => newOwnTable.test(impact.sentence));
  return impacts.flatMap((impact) => {
    if (!newOwnTable.test(impact.sentence)) return [impact];
    return impact === first ? [{ ...impact, sentence }] : [];
  });
}

/** Rules that some rows break, for people. */
export function brokenText(broken: ChangeReport["broken"]): string {
  const lines = shown(broken).map(({ entity, rule, count: number, rows }) => {
    const shown = `${rows.map((row) => `row ${row}`).join(", ")}${number > rows.length ? ", …" : ""}`;
    return `  ${ansis.yellow("!")} ${entity}: ${rule}  ${ansis.dim(`${count(number, "row")} (${shown})`)}`;
  });
  const title = ansis.bold("Some rows break rules");
  return [`\n${title} ${ansis.dim("and aren't saved again before they hold")}`, ...lines].join(
    "\n",
  );
}

/** A change: its verdict, the sentence, and below it what is known of the rows. */
export function impactText({
  verdict,
  sentence,
  table,
  rows,
  risks,
  rewritten,
  help,
}: ChangeImpact): string {
  const margin = " ".repeat(width + 4);
  const size = [
    rows === undefined ? "" : count(rows, "row"),
    rewritten.length > 0 ? "rewritten" : "",
  ].filter(Boolean);
  const details = new Set([
    ...(size.length > 0 ? [`${table}: ${size.join(", ")}`] : []),
    ...risks.map(riskText),
  ]);
  return [
    `  ${colors[verdict](verdict.padEnd(width))}  ${ansis.bold(wrapped(sentence, margin))}`,
    ...[...details].map((line) => margin + ansis.dim(wrapped(line, margin))),
    ...(help ? [margin + wrapped(help, margin)] : []),
  ].join("\n");
}

/** A text in lines that fit the terminal, each but the first behind a margin. */
function wrapped(text: string, margin: string): string {
  const room = (process.stdout.isTTY ? process.stdout.columns || 100 : 400) - margin.length;
  const lines: string[] = [];
  let line = "";
  for (const word of text.split(" ")) {
    if (line !== "" && line.length + 1 + word.length > Math.max(room, 30)) {
      lines.push(line);
      line = word;
    } else line = line === "" ? word : `${line} ${word}`;
  }
  return [...lines, line].join(`\n${margin}`);
}

function riskText({ kind, sentence, count: number, sample }: CountedRisk): string {
  if (number === undefined) return "not known before the steps ahead of it are taken";
  if (number === 0) return kind === "lost" ? "nothing is lost" : "all rows comply";
  const shown = sample.map(({ id, value }) =>
    value === null || value === undefined ? `row ${id}` : `row ${id} ${JSON.stringify(value)}`,
  );
  const examples =
    kind === "blocking" && shown.length > 0
      ? ` (${shown.join(", ")}${number > shown.length ? ", …" : ""})`
      : "";
  return `${sentence}${examples}`;
}
