import { basename } from "node:path";
import { todayIn } from "../../../kit/formula/clock.ts";
import { Failure } from "../../core/failure.ts";
import { Diagnostics } from "../../core/model/diagnostics.ts";
import type { Model } from "../../core/model/model.ts";
import { checkEntityName } from "../../core/model/names.ts";
import { isInvisible, readable } from "../../core/naming/characters.ts";
import { capitalized, words } from "../../core/naming/words.ts";
import { Blanks, blankSpellings, cellText, isEmpty } from "../../core/tabular/cells.ts";
import type { ProfiledSheet } from "../../core/tabular/draft.ts";
import type { Layout } from "../../core/tabular/layout.ts";
import type { ImportPlan, NotedCell, PlanNotes, SheetPlan } from "../../core/tabular/plan.ts";
import { SheetProfiler } from "../../core/tabular/profile.ts";
import { proposePlan } from "../../core/tabular/proposal.ts";
import {
  type FoundJoin,
  findJoins,
  knownJoins,
  withJoins,
} from "../../core/tabular/shapes/joins.ts";
import { findPairSplit } from "../../core/tabular/shapes/pair-dependencies.ts";
import { joined, named } from "../../core/tabular/shapes/records.ts";
import { isOfSeries } from "../../core/tabular/shapes/series.ts";
import { type ProfiledTable, settledShapes } from "../../core/tabular/shapes/settling.ts";
import { stackedAddresses } from "../../core/tabular/shapes/stacks.ts";
import { headOf, type Sheet, sheetName } from "../../io/sheets/sheets.ts";
import type { TemporaryFolder } from "../../io/sheets/temporary.ts";
import type { Report } from "../report.ts";
import { seriesLayout, stackValues, type Table, tablesOf } from "./tables.ts";

/** The most columns of a sheet that become fields. */
const mostColumns = 500;

/** What is known before the sheets are looked at. */
interface ImportQuestion {
  name?: string;
  files: readonly string[];
  model?: Model;
  /** The entity that the one sheet becomes. */
  into?: string;
  /** Whether each sheet is one table with a record a row, whatever its shape. */
  asTheyAre?: boolean;
  /** The plans of earlier imports, the newest last. */
  kept: readonly ImportPlan[];
  /** Whether there is a file of a name, where the sheets are. */
  hasFile: (name: string) => boolean;
}

/** Looks at all rows of all sheets, and proposes what they become. */
export function proposeImport(
  sheets: readonly Sheet[],
  { name, files, model, into, asTheyAre = false, kept, hasFile }: ImportQuestion,
  folder: TemporaryFolder,
  report: Report,
): { plan: ImportPlan; notes: PlanNotes } {
  const tables = tablesOf(sheets, { ...(model && { model }), asTheyAre });
  const found = tables.flatMap((table) => {
    const seen = profileTable(table, [], folder, report);
    return seen ? [{ table, seen }] : [];
  });
  const settled = settledShapes(found.map(({ seen }) => seen));
  const joins = findJoins(settled);
  const earlier = kept.flatMap(({ sheets: all }) => all).reverse();
  const profiled = settled.map((sheet) => {
    const own = asTheyAre ? [] : joinsOf(sheet, joins, earlier);
    const source = found.find(({ seen }) => seen.rows === sheet);
    if (own.length === 0 || !source) return sheet;
    // The columns that are made are looked at as the others were.
    const seen = profileTable(source.table, own, folder, report);
    return seen ? withJoins(seen.rows, own) : sheet;
  });
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
    hasFile,
    ...(model && { model }),
    ...(chosen && { into: chosen }),
  });
}

/** The columns to make of several others of a sheet: those that were found, those of earlier imports, or one for a split. */
function joinsOf(
  sheet: ProfiledSheet,
  found: ReadonlyMap<ProfiledSheet, FoundJoin[]>,
  earlier: readonly SheetPlan[],
): FoundJoin[] {
  const joins = found.get(sheet) ?? knownJoins(sheet, earlier);
  const split = joins.length === 0 ? findPairSplit(sheet) : undefined;
  return split ? [split] : joins;
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

/** Looks at all rows of a table; undefined where there are none. */
function profileTable(
  table: Table,
  joins: readonly FoundJoin[],
  folder: TemporaryFolder,
  report: Report,
): ProfiledTable | undefined {
  const { parts, shape, series } = table;
  const [first] = parts;
  if (!first) return undefined;
  refuseTooWide(first.sheet, first.layout);
  const name = shape.plan.stack?.title;
  const others = first.layout.columns.filter(
    ({ column }) => !series || !isOfSeries(series.found, column),
  );
  const keep = others.map(({ column }) => column);
  /** The layouts of each part: of its rows, and of the records of its series. */
  const layouts = parts.map(({ layout }, at) => {
    const value = stackValues(parts)[at] ?? "";
    const withName = (each: Layout) => (name === undefined ? each : named(each, name, value));
    const rows = withName(series ? { ...layout, reshaping: { columns: others } } : layout);
    return {
      rows: joins.reduce(
        (whole, { title, columns }) =>
          joined(
            whole,
            title,
            columns.map(({ column }) => column),
          ),
        rows,
      ),
      records: series && withName(seriesLayout(layout, series, keep)),
    };
  });
  const open = (layout: Layout) =>
    new SheetProfiler(layout, { blanks: new Blanks(blankSpellings) }, folder.openSpill);
  const [start] = layouts;
  if (!start) return undefined;
  const rows = open(start.rows);
  const records = start.records && open(start.records);
  const stray: number[] = [];
  for (const [at, { sheet }] of parts.entries()) {
    const layout = layouts[at];
    if (at > 0 && layout) {
      rows.goOn(layout.rows);
      if (layout.records) records?.goOn(layout.records);
    }
    for (const step of sheet.read(undefined, (row) => stray.push(row))) {
      rows.take(step);
      records?.take(step);
      const last = step.first + step.rows.length - 1;
      report({
        kind: "progress",
        on: `looking at ${sheetName(sheet)}`,
        rows: last,
        share: step.share,
      });
    }
  }
  const profile = rows.finish();
  if (profile.rows === 0) return undefined;
  const { sheet } = first;
  const formulas = sheet.formulas.filter(({ count }) => count >= profile.rows);
  const profiled: ProfiledSheet = {
    file: sheet.file,
    ...(sheet.sheet !== undefined && { sheet: sheet.sheet }),
    ...(sheet.text && { text: sheet.text }),
    hidden: sheet.hidden,
    remarks: parts.reduce((sum, part) => sum + part.sheet.remarks.length, 0),
    above: parts.flatMap((part) => cellsAbove(part.sheet, part.layout)),
    strayQuotes: stray,
    formulas: new Map(formulas.map(({ column, text }) => [column, text])),
    profile,
    addresses:
      parts.length === 1
        ? sheet.addresses
        : stackedAddresses(
            parts.map((part) => ({
              name: part.sheet.sheet ?? part.sheet.file,
              addresses: part.sheet.addresses,
            })),
          ),
    shape,
  };
  const seen = records?.finish();
  return seen && series && seen.rows > 0
    ? { rows: profiled, records: { ...profiled, profile: seen }, series }
    : { rows: profiled };
}

function cellsAbove(sheet: Sheet, layout: Layout): NotedCell[] {
  const lines = headOf(sheet).slice(0, (layout.header?.first ?? layout.firstRow) - 1);
  return lines.flatMap((row, index) =>
    row.flatMap((cell, column) =>
      isEmpty(cell)
        ? []
        : [
            {
              address: sheet.addresses.cell(column, index + 1),
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
