import { html, raw } from "hono/html";
import type { HtmlEscapedString } from "hono/utils/html";
import type { FieldNotes, SheetNotes, SheetPlan } from "../core/tabular/plan.ts";
import { takenFields } from "../core/tabular/plan-model.ts";
import type { OpenQuestion } from "../core/tabular/questions.ts";
import type { SheetOutcome } from "../flows/import/convert.ts";
import type { PreparedImport } from "../flows/import/prepare.ts";
import {
  doubtfulFirst,
  fieldRemarks,
  isDoubtful,
  rowsText,
  splitRemarks,
  totalText,
  typeText,
  valueFacts,
} from "./import-words.ts";
import { shown } from "./terminal.ts";
import { count } from "./words.ts";

type Html = HtmlEscapedString | Promise<HtmlEscapedString>;

/** The preview of an import as a page of its own, with the words of the terminal. */
export async function previewPage(prepared: PreparedImport): Promise<string> {
  const { plan, notes, questions, sheets, untaken, setAside } = shown(prepared);
  const page = html`<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${plan.app.name}: preview of the import</title>
<style>${raw(style)}</style>
</head>
<body>
<header>
<h1>${plan.app.name}</h1>
<p>Nothing is written yet. ${totalText(sheets)}.</p>
</header>
${questions.some(({ field }) => field) ? questionsSection(questions.filter(({ field }) => field)) : ""}
${plan.sheets.map((sheet, at) => sheetSection(sheet, notes?.sheets[at], sheets[at] as SheetOutcome))}
${untaken.map((name) => html`<p class="doubt">${name}: the plan says nothing of it, and it stays out.</p>`)}
${setAside.count > 0 ? asideSection(setAside) : ""}
</body>
</html>
`;
  return String(await page);
}

function questionsSection(questions: readonly OpenQuestion[]): Html {
  return html`<section class="questions">
<h2>Open questions</h2>
<p>The first answer is taken. In a terminal, <code>levadura import</code> asks; in a plan, each answer stands beside its question.</p>
${questions.map(
  ({ about, ask, choices }) => html`<h3>${about}: ${ask}</h3>
<table>
${choices.map(
  (
    { say, gives },
    at,
  ) => html`<tr class="${at === 0 ? "taken" : ""}"><th scope="row">${say}</th>${gives.map(
    ({ written, stored }) => html`<td>${pair(written, stored)}</td>`,
  )}</tr>
`,
)}
</table>
`,
)}
</section>`;
}

function pair(written: string, stored: string): Html {
  return written === stored
    ? html`<span class="cell">${written}</span>`
    : html`<span class="cell">${written}</span> → <span class="cell">${stored}</span>`;
}

/** A sentence in which what is in backticks is code. */
function withCode(said: string): Html[] {
  return said
    .split("`")
    .map((part, at) => (at % 2 === 1 ? html`<code>${part}</code>` : html`${part}`));
}

function sheetSection(
  sheet: SheetPlan,
  notes: SheetNotes | undefined,
  outcome: SheetOutcome,
): Html {
  const remarks = [
    ...(notes?.around ?? []),
    ...(notes?.key ? [notes.key] : []),
    ...(notes ? splitRemarks(sheet, notes) : []),
    ...outcome.totals,
    ...outcome.unknown.map(
      (column) => `the plan doesn't know the column ${column}: its cells are set aside`,
    ),
  ];
  return html`<section>
<h2>${outcome.name} <span class="becomes">becomes</span> ${sheet.entity}</h2>
<p>${rowsText(outcome.counts)}</p>
${remarks.length > 0 ? html`<ul>${remarks.map((said) => html`<li>${withCode(said)}</li>`)}</ul>` : ""}
<div class="wide"><table>
<thead><tr><th scope="col">Column</th><th scope="col">Field</th><th scope="col">Type</th><th scope="col">Values</th><th scope="col">Why</th></tr></thead>
<tbody>
${doubtfulFirst(takenFields(sheet), notes).map((field) =>
  fieldRow(
    field.formula === undefined ? field.column : `= ${field.formula}`,
    [field.name, typeText(sheet, field)],
    outcome.values.get(field.name),
    notes?.fields.get(field.name),
  ),
)}
</tbody>
</table></div>
</section>`;
}

function fieldRow(
  column: string,
  [name, type]: readonly [string, string],
  values: Parameters<typeof valueFacts>[0],
  notes: FieldNotes | undefined,
): Html {
  const doubts = notes ? fieldRemarks(notes) : [];
  return html`<tr class="${isDoubtful(notes) ? "doubt" : ""}">
<th scope="row">${column}</th><td>${name}</td><td>${type}</td>
<td>${(values?.examples ?? []).map(({ written, stored }) => html`<div>${pair(written, stored)}</div>`)}<div class="facts">${valueFacts(values, notes)}</div></td>
<td>${notes?.why ?? ""}${doubts.map((said) => html`<div class="said">${withCode(said)}</div>`)}</td>
</tr>
`;
}

function asideSection({ count: all, first }: PreparedImport["setAside"]): Html {
  const more = all - first.length;
  return html`<section>
<h2>Set aside, with the reasons, in data/set-aside: ${count(all, "entry", "entries")}</h2>
<div class="wide"><table>
<thead><tr><th scope="col">Sheet</th><th scope="col">Cell</th><th scope="col">Value</th><th scope="col">Reason</th></tr></thead>
<tbody>
${first.map(
  ({ file, sheet, cell, value, reason }) =>
    html`<tr><td>${sheet || file}</td><th scope="row">${cell}</th><td><span class="cell">${value}</span></td><td>${reason}</td></tr>
`,
)}
</tbody>
</table></div>
${more > 0 ? html`<p>and ${count(more, "more", "more")}</p>` : ""}
</section>`;
}

const style = `
:root { color-scheme: light dark; --ink: #23302b; --dim: #5d6b64; --paper: #fbfaf6; --line: #dcd8cb; --doubt: #fdf1cf; --cell: #eef0ea; --accent: #2f6b4f; }
@media (prefers-color-scheme: dark) { :root { --ink: #e4e8e2; --dim: #a3aea7; --paper: #1b211e; --line: #3a443f; --doubt: #453a17; --cell: #2a322e; --accent: #8fc7a8; } }
* { box-sizing: border-box; }
body { margin: 0 auto; max-width: 76rem; padding: 1.5rem; background: var(--paper); color: var(--ink); font: 15px/1.5 system-ui, sans-serif; }
h1 { margin: 0; font-size: 1.6rem; }
h2 { margin: 2rem 0 .25rem; font-size: 1.2rem; overflow-wrap: anywhere; }
h3 { margin: 1rem 0 .25rem; font-size: 1rem; overflow-wrap: anywhere; }
p, ul { margin: .25rem 0 .75rem; }
.becomes, .facts { color: var(--dim); font-weight: normal; }
.facts { font-size: .85rem; }
.wide { overflow-x: auto; }
table { border-collapse: collapse; }
.wide table { width: 100%; }
th, td { padding: .4rem .75rem .4rem 0; border-bottom: 1px solid var(--line); text-align: start; vertical-align: top; }
thead th { color: var(--dim); font-weight: 600; }
tbody th { font-weight: 600; }
tr.doubt > * { background: var(--doubt); }
tr.doubt > :first-child { border-inline-start: 4px solid #c98a00; padding-inline-start: .6rem; }
p.doubt { background: var(--doubt); padding: .4rem .6rem; }
.questions { border: 1px solid var(--line); border-radius: 6px; padding: 0 1rem 1rem; margin-top: 1.5rem; }
.questions h2 { margin-top: 1rem; }
tr.taken th::after { content: " (taken)"; color: var(--accent); font-weight: normal; }
.cell { background: var(--cell); border-radius: 3px; padding: 0 .3rem; font-family: ui-monospace, monospace; font-size: .85rem; overflow-wrap: anywhere; white-space: pre-wrap; }
.said { margin-top: .25rem; }
code { font-family: ui-monospace, monospace; }
`;
