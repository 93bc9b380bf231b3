import { basename } from "node:path";
import { todayIn } from "../../../kit/formula/clock.ts";
import { Failure } from "../../core/failure.ts";
import { Diagnostics } from "../../core/model/diagnostics.ts";
import type { Model } from "../../core/model/model.ts";
import { checkEntityName } from "../../core/model/names.ts";
import { isInvisible, readable } from "../../core/naming/characters.ts";
import { capitalized, words } from "../../core/naming/words.ts";
import { address, Blanks, blankSpellings, cellText, isEmpty } from "../../core/tabular/cells.ts";
import type { ProfiledSheet } from "../../core/tabular/draft.ts";
import { findLayout, type Layout } from "../../core/tabular/layout.ts";
import type { ImportPlan, NotedCell, PlanNotes } from "../../core/tabular/plan.ts";
import { SheetProfiler } from "../../core/tabular/profile.ts";
import { proposePlan } from "../../core/tabular/proposal.ts";
import { headOf, type Sheet, sheetName } from "../../io/sheets/sheets.ts";
import type { TemporaryFolder } from "../../io/sheets/temporary.ts";
import type { Report } from "../report.ts";

/** The most columns of a sheet that become fields. */
const mostColumns = 500;

/** What is known before the sheets are looked at. */
interface ImportQuestion {
  name?: string;
  files: readonly string[];
  model?: Model;
  /** The entity that the one sheet becomes. */
  into?: string;
}

/** Looks at all rows of all sheets, and proposes what they become. */
export function proposeImport(
  sheets: readonly Sheet[],
  { name, files, model, into }: ImportQuestion,
  folder: TemporaryFolder,
  report: Report,
): { plan: ImportPlan; notes: PlanNotes } {
  const profiled = sheets
    .map((sheet) => profileSheet(sheet, folder, report))
    .filter((found) => found !== undefined);
  if (profiled.length === 0) {
    throw new Failure(
      "input",
      `there are no rows below a header in ${files.join(", ")}`,
      "nothing was written; a sheet needs titles and at least one row below them",
    );
  }
  const chosen = into === undefined ? undefined : chosenEntity(into, model);
  if (into !== undefined && profiled.length > 1) {
    throw new Failure(
      "usage",
      `--into takes one sheet, and there are ${profiled.length} in ${files.join(", ")}`,
      "name one file with one sheet, or correct `entity` in a plan",
    );
  }
  const {
    name: title,
    language,
    currency,
    timezone,
  } = model?.app ?? {
    name: name ?? titleOf(files[0] ?? "-"),
    language: "en",
    currency: "EUR",
    timezone: "UTC",
  };
  return proposePlan(profiled, {
    app: { name: title, language, currency, timezone },
    today: todayIn(timezone),
    ...(model && { model }),
    ...(chosen && { into: chosen }),
  });
}

/** The entity that --into names: one of the model, whatever its case, or a new one. */
function chosenEntity(into: string, model: Model | undefined): string {
  const there = model?.entities.find(({ name }) => name.toLowerCase() === into.toLowerCase());
  if (there) return there.name;
  const diagnostics = new Diagnostics();
  if (checkEntityName({ text: into, at: { start: 0, end: 0 } }, diagnostics)) return into;
  const [wrong] = diagnostics.all;
  throw new Failure("usage", `--into: ${wrong?.message}`, wrong?.help);
}

function titleOf(file: string): string {
  const base = file === "-" ? "records" : basename(file).replace(/\.[^.]*$/, "");
  const title = [...words(readable(base)).map(capitalized).join(" ")].slice(0, 60).join("").trim();
  return title === "" || isInvisible(title) ? "Records" : title;
}

/** Looks at all rows of a sheet; undefined where there are none. */
function profileSheet(
  sheet: Sheet,
  folder: TemporaryFolder,
  report: Report,
): ProfiledSheet | undefined {
  const head = headOf(sheet);
  const layout = findLayout(head, sheet.merges);
  if (!layout || layout.columns.length === 0) return undefined;
  refuseTooWide(sheet, layout);
  const profiler = new SheetProfiler(
    layout,
    { blanks: new Blanks(blankSpellings) },
    folder.openSpill,
  );
  const stray: number[] = [];
  for (const step of sheet.read(undefined, (row) => stray.push(row))) {
    profiler.take(step);
    const rows = step.first + step.rows.length - 1;
    report({ kind: "progress", on: `looking at ${sheetName(sheet)}`, rows, share: step.share });
  }
  const profile = profiler.finish();
  if (profile.rows === 0) return undefined;
  const formulas = sheet.formulas.filter(({ count }) => count >= profile.rows);
  return {
    file: sheet.file,
    ...(sheet.sheet !== undefined && { sheet: sheet.sheet }),
    ...(sheet.text && { text: sheet.text }),
    hidden: sheet.hidden,
    remarks: sheet.remarks.length,
    above: cellsAbove(head, layout),
    strayQuotes: stray,
    formulas: new Map(formulas.map(({ column, text }) => [column, text])),
    profile,
  };
}

function cellsAbove(
  head: readonly (readonly Parameters<typeof cellText>[0][])[],
  layout: Layout,
): NotedCell[] {
  const lines = head.slice(0, (layout.header?.first ?? layout.firstRow) - 1);
  return lines.flatMap((row, index) =>
    row.flatMap((cell, column) =>
      isEmpty(cell)
        ? []
        : [
            {
              address: address(column, index + 1),
              text: cellText(cell),
              reason: "above the table",
            },
          ],
    ),
  );
}

/** Throws for a sheet with more columns than any record has fields. */
export function refuseTooWide(sheet: Sheet, { columns }: Layout): void {
  if (columns.length <= mostColumns) return;
  throw new Failure(
    "input",
    `${sheetName(sheet)} has ${columns.length.toLocaleString("en")} columns; at most ${mostColumns} become fields`,
    "leave the columns out that no record needs, or turn the table: what stands in columns may be rows",
  );
}
