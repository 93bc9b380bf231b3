import { Failure } from "../../core/failure.ts";
import {
  columnLetters,
  columnNumber,
  folded,
  isEmpty,
  type Row,
} from "../../core/tabular/cells.ts";
import type { ConvertedSheet } from "../../core/tabular/conversion.ts";
import {
  type Layout,
  type LayoutColumn,
  layoutAt,
  type SeriesGroup,
} from "../../core/tabular/layout.ts";
import type { ImportPlan, SheetPlan, UnpivotPlan } from "../../core/tabular/plan.ts";
import { type Area, findAreas, mostRows } from "../../core/tabular/shapes/areas.ts";
import { joined, named, recordColumns, unpivoted } from "../../core/tabular/shapes/records.ts";
import { findSeries } from "../../core/tabular/shapes/series.ts";
import { partNames, stackNames, withoutEnding } from "../../core/tabular/shapes/stacks.ts";
import { firstRows, headOf, type Sheet, sheetName } from "../../io/sheets/sheets.ts";
import { insideArea, turnedSheet } from "../../io/sheets/views.ts";
import { refuseTooWide } from "./look.ts";
import { stackable } from "./tables.ts";

/** A table of the plan, with the sheets that it is read from. */
export interface Job {
  plan: SheetPlan;
  parts: readonly [Part, ...Part[]];
}

export interface Part extends ConvertedSheet {
  /** The cells that are read. */
  view: Sheet;
  /** The sheet that they are on. */
  source: Sheet;
  area?: Area;
  /** Columns that the plan says nothing of. */
  unknown: string[];
}

/** The tables of a plan, each with its cells; several where a plan reads several sheets as one. */
export function jobsOf(plan: ImportPlan, sheets: readonly Sheet[]): Job[] {
  const members = plan.sheets.map((each) => ({ each, sheets: sheetsFor(each, plan, sheets) }));
  const claimed = new Set(members.flatMap((member) => member.sheets));
  return members.flatMap(({ each, sheets: own }, at) => {
    const all = each.stack ? [...own, ...alike(each, own, sheets, claimed)] : own;
    // What all names have in common is known by those of the plan, too.
    const told = partNames([...all.map(stackable), ...plannedParts(each, sheets)]);
    const names = stackNames(told);
    const parts = all.map((sheet, member) => {
      const isSecondReading =
        each.unpivot?.keep !== undefined &&
        members.some(
          (other, before) =>
            before !== at &&
            !other.each.unpivot &&
            other.sheets.includes(sheet) &&
            isSameArea(other.each, each),
        );
      // Each file may be written in a way of its own; the plan says how the first one is.
      const text = member === 0 ? each.text : sheet.text;
      const written = { ...each, ...(text && { text }) };
      return partOf(written, plan, sheet, { name: names.values[member] ?? "", isSecondReading });
    });
    const [first, ...more] = parts;
    return first ? [{ plan: each, parts: [first, ...more] }] : [];
  });
}

function isSameArea({ area: one }: SheetPlan, { area: other }: SheetPlan): boolean {
  return one?.top === other?.top && one?.left === other?.left;
}

/** Other sheets with the columns of a stack, which the plan doesn't name: those of another month. */
function alike(
  { header, rows, text }: SheetPlan,
  own: readonly Sheet[],
  sheets: readonly Sheet[],
  claimed: ReadonlySet<Sheet>,
): Sheet[] {
  const [first] = own;
  if (!first) return [];
  const titles = (sheet: Sheet) =>
    layoutAt(headOf(sheet, sheet === first ? text : sheet.text), header, rows, sheet.merges)
      .columns.map((column) => folded(column.header))
      .join("\n");
  const wanted = titles(first);
  return sheets.filter((sheet) => !claimed.has(sheet) && titles(sheet) === wanted);
}

function partOf(
  given: SheetPlan,
  whole: ImportPlan,
  source: Sheet,
  { name, isSecondReading }: { name: string; isSecondReading: boolean },
): Part {
  const plan = placed(given, whole, source);
  const view = viewOf(plan, source);
  const found = layoutAt(headOf(view, plan.text), plan.header, plan.rows, view.merges);
  refuseTooWide(view, found);
  const repeat = (plan.repeat ?? []).map((title) => {
    const column = findColumn(title, found.columns);
    if (column === undefined) throw missingColumn(view, title, "repeat", found);
    return column;
  });
  const layout = reshaped({ ...found, repeat }, plan, name, view);
  const columns = new Map<string, number>();
  for (const field of plan.fields.filter(({ formula }) => formula === undefined)) {
    const column = findColumn(field.column, recordColumns(layout));
    if (column === undefined) throw missingColumn(view, field.column, field.name, layout);
    columns.set(field.name, column);
  }
  const left = new Set(plan.leave.flatMap((each) => findColumn(each, recordColumns(layout)) ?? []));
  const said = new Set([...columns.values(), ...left]);
  const unknown = recordColumns(layout)
    .filter(({ column }) => !said.has(column))
    .map(({ header, column }) => header || `column ${columnLetters(column)}`);
  return {
    view,
    source,
    ...(plan.area && { area: plan.area }),
    plan,
    layout,
    file: source.file,
    sheet: source.sheet,
    addresses: view.addresses,
    columns,
    left,
    unknown,
    isSecondReading,
  };
}

function viewOf({ area, turned }: SheetPlan, sheet: Sheet): Sheet {
  const inside = area ? insideArea(sheet, area) : sheet;
  return turned ? turnedSheet(inside, area?.top) : inside;
}

/** A plan with its area where the table is now: tables move when the one above them grows. */
function placed(plan: SheetPlan, whole: ImportPlan, sheet: Sheet): SheetPlan {
  const { area, header } = plan;
  if (!area || !header) return plan;
  const titles = wantedTitles(plan);
  const others = whole.sheets.filter(
    (each) =>
      !isSameArea(each, plan) && each.area && each.file === plan.file && each.sheet === plan.sheet,
  );
  const rows = firstRows(sheet, mostRows + 1, plan.text);
  const open = openArea(
    plan,
    grown(area, rows),
    others.flatMap((each) => each.area ?? []),
  );
  const asPlanned = { ...plan, area: open };
  if (hasTitles(asPlanned, sheet, titles)) return asPlanned;
  for (const { area: other } of findAreas(rows)) {
    const moved = other.top - area.top;
    const there: SheetPlan = {
      ...plan,
      area: other,
      header: { first: header.first + moved, last: header.last + moved },
      rows: { ...plan.rows, first: plan.rows.first + moved },
    };
    if (hasTitles(there, sheet, titles)) return there;
  }
  return asPlanned;
}

/** An area goes on below as far as the rows of its table do. */
function grown({ bottom, ...area }: Area, rows: readonly Row[]): Area {
  if (bottom === undefined) return area;
  const isFilled = (row: number) =>
    rows[row - 1]?.slice(area.left, area.right + 1).some((cell) => !isEmpty(cell));
  let last = bottom;
  while (isFilled(last) && isFilled(last + 1)) last++;
  return { ...area, bottom: last };
}

/** The area of a turned table goes on to the right, where new records are, unless another table is there. */
function openArea({ turned }: SheetPlan, area: Area, others: readonly Area[]): Area {
  const isBeside = others.some(({ left }) => left > area.right);
  return turned && !isBeside ? { ...area, right: mostRows } : area;
}

function hasTitles(plan: SheetPlan, sheet: Sheet, titles: readonly string[]): boolean {
  const view = viewOf(plan, sheet);
  const { columns } = layoutAt(headOf(view, plan.text), plan.header, plan.rows, view.merges);
  return titles.every((title) => findColumn(title, columns) !== undefined);
}

/** The columns that a plan reads by their titles. */
function wantedTitles({ fields, unpivot, stack, joined: joins = [] }: SheetPlan): string[] {
  const made = [
    stack?.title,
    unpivot?.title,
    ...(unpivot?.values ?? []),
    ...joins.map(({ title }) => title),
  ].map((title) => folded(title ?? ""));
  return fields
    .filter(({ formula }) => formula === undefined)
    .map(({ column }) => column)
    .filter((column) => !made.includes(folded(column)));
}

/** A layout with what the plan makes of its columns. */
function reshaped(
  layout: Layout,
  { unpivot, stack, joined: joins = [] }: SheetPlan,
  name: string,
  sheet: Sheet,
): Layout {
  const series = unpivot ? seriesIn(layout, unpivot, sheet) : layout;
  return joins.reduce(
    (whole, { title, columns }) => {
      const of = columns.map((each) => {
        const column = findColumn(each, layout.columns);
        if (column === undefined) throw missingColumn(sheet, each, title, layout);
        return column;
      });
      return joined(whole, title, of);
    },
    stack ? named(series, stack.title, name) : series,
  );
}

function seriesIn(layout: Layout, unpivot: UnpivotPlan, sheet: Sheet): Layout {
  const groups = unpivot.columns.flatMap(({ label, columns }): SeriesGroup[] => {
    const places = columns.map((each) => findColumn(each, layout.columns));
    // A month may be missing; a series that is gone is another sheet.
    return places.every((place) => place === undefined) ? [] : [{ label, columns: places }];
  });
  if (groups.length === 0) {
    const [first] = unpivot.columns;
    throw missingColumn(sheet, first?.columns[0] ?? "", unpivot.title, layout);
  }
  const all = [...groups, ...newSteps(layout, groups, sheet)];
  const steps = new Set(all.flatMap(({ columns }) => columns));
  const keep = unpivot.keep
    ? unpivot.keep.map((each) => {
        const column = findColumn(each, layout.columns);
        if (column === undefined) throw missingColumn(sheet, each, "keep", layout);
        return column;
      })
    : layout.columns.flatMap(({ column }) => (steps.has(column) ? [] : [column]));
  return unpivoted(layout, all, { title: unpivot.title, values: unpivot.values, keep });
}

/** Steps that the plan doesn't name, such as those of a new month. */
function newSteps(layout: Layout, known: readonly SeriesGroup[], sheet: Sheet): SeriesGroup[] {
  const rows = headOf(sheet).slice(layout.firstRow - 1);
  const found = findSeries(layout.columns, rows);
  const values = known[0]?.columns.length;
  const labels = new Set(known.map(({ label }) => folded(label)));
  const isSame = found?.groups.some(({ label }) => labels.has(folded(label)));
  if (!found || !isSame || found.values.length !== values) return [];
  return found.groups.filter(({ label }) => !labels.has(folded(label)));
}

function missingColumn(sheet: Sheet, column: string, field: string, { columns }: Layout): Failure {
  const there = columns.map(({ header }) => header).filter(Boolean);
  return new Failure(
    "input",
    `${sheetName(sheet)} has no column \`${column}\`, which the plan takes for \`${field}\``,
    `the header has ${there.slice(0, 12).join(", ")}${there.length > 12 ? " and more" : ""}`,
  );
}

/** The parts of a stack that a plan names: sheets of its workbook, or files. */
function plannedParts(
  { file, sheet, stack }: SheetPlan,
  sheets: readonly Sheet[],
): { name: string; book: string | undefined }[] {
  if (sheet === undefined) {
    return [file, ...(stack?.sheets ?? [])].map((name) => ({
      name: withoutEnding(name),
      book: undefined,
    }));
  }
  const isOfFiles = isStackOfFiles({ sheet, stack }, sheets);
  const others = (stack?.sheets ?? []).map((name) =>
    isOfFiles ? { name: sheet, book: name } : { name, book: file },
  );
  return [{ name: sheet, book: file }, ...others];
}

/** Whether a stack is of sheets of one name in several workbooks: what it names are files, then. */
function isStackOfFiles(
  { sheet, stack }: Pick<SheetPlan, "sheet" | "stack">,
  sheets: readonly Sheet[],
): boolean {
  const called = new Set(sheets.map((each) => folded(each.sheet ?? "")));
  const others = stack?.sheets ?? [];
  return (
    sheet !== undefined &&
    others.every((name) => /\.(xlsx|xlsm|xlsb|xls|ods)$/i.test(name) && !called.has(folded(name)))
  );
}

/** The sheets that a plan means; of a stack, those that are there, and at least one. */
function sheetsFor(wanted: SheetPlan, plan: ImportPlan, sheets: readonly Sheet[]): Sheet[] {
  const { stack, ...first } = wanted;
  if (!stack) return [sheetFor(wanted, plan, sheets)];
  const areFiles = wanted.sheet === undefined || isStackOfFiles(wanted, sheets);
  const names = stack.sheets.map((name) =>
    areFiles ? { ...first, file: name } : { ...first, sheet: name },
  );
  const found = new Set([wanted, ...names].flatMap((each) => exactSheet(each, sheets) ?? []));
  return found.size > 0 ? [...found] : [sheetFor(wanted, plan, sheets)];
}

function exactSheet({ file, sheet }: SheetPlan, sheets: readonly Sheet[]): Sheet | undefined {
  const named = sheets.filter((each) => folded(each.sheet ?? "") === folded(sheet ?? ""));
  const exact = named.find((each) => each.file === file);
  if (exact) return exact;
  // Next month's file may have another name.
  return sheet !== undefined && named.length === 1 ? named[0] : undefined;
}

/** The sheet that a plan means: of the same name in a file of the same name, or in the only file that has one. */
function sheetFor(wanted: SheetPlan, plan: ImportPlan, sheets: readonly Sheet[]): Sheet {
  const exact = exactSheet(wanted, sheets);
  if (exact) return exact;
  const named = sheets.filter(({ sheet }) => sheet === undefined);
  const files = [
    ...new Set(plan.sheets.flatMap(({ sheet, file }) => (sheet === undefined ? [file] : []))),
  ];
  const text = named[files.indexOf(wanted.file)];
  if (wanted.sheet === undefined && text && (named.length === files.length || wanted.stack)) {
    return text;
  }
  const names = sheets.map((sheet) => sheetName(sheet)).join("; ");
  throw new Failure(
    "input",
    `the plan takes ${sheetName(wanted)}, which is not among the files`,
    `there ${sheets.length === 1 ? "is" : "are"} ${names}`,
  );
}

function findColumn(reference: string, columns: readonly LayoutColumn[]): number | undefined {
  const titled = columns.find(
    ({ header }) => header !== "" && folded(header) === folded(reference),
  );
  if (titled) return titled.column;
  const letters = /^column ([a-z]{1,3})$/i.exec(reference.trim())?.[1];
  return letters === undefined ? undefined : columnNumber(letters);
}
