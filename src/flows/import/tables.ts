import type { Model } from "../../core/model/model.ts";
import { Blanks, blankSpellings, folded, isEmpty, type Row } from "../../core/tabular/cells.ts";
import type { SheetShape } from "../../core/tabular/draft.ts";
import { languageOf } from "../../core/tabular/languages.ts";
import {
  findLayout,
  headRows,
  type Layout,
  type LayoutColumn,
  referenceTo,
} from "../../core/tabular/layout.ts";
import { matchedFields } from "../../core/tabular/matching.ts";
import { type Area, areaText, findAreas, mostRows } from "../../core/tabular/shapes/areas.ts";
import { unpivoted } from "../../core/tabular/shapes/records.ts";
import { repeatedColumns } from "../../core/tabular/shapes/repeats.ts";
import {
  type FoundSeries,
  findSeries,
  isOfSeries,
  type TableSeries,
} from "../../core/tabular/shapes/series.ts";
import {
  findStacks,
  partNames,
  type StackNames,
  stackNames,
  withoutEnding,
} from "../../core/tabular/shapes/stacks.ts";
import { isTurned } from "../../core/tabular/shapes/turned.ts";
import { shapeWords, untakenTitle } from "../../core/tabular/shapes/words.ts";
import { fieldTitle, isUnit, sheetWords } from "../../core/tabular/titles.ts";
import { firstRows, headOf, type Sheet } from "../../io/sheets/sheets.ts";
import { cellsOutside, insideArea, turnedSheet } from "../../io/sheets/views.ts";

/** A table that was found: on a sheet, on a part of one, or on several of the same shape. */
export interface Table {
  parts: readonly { sheet: Sheet; layout: Layout }[];
  shape: SheetShape;
  /** Columns that are steps of a series. */
  series?: TableSeries;
}

/** Finds the tables of sheets. With `asTheyAre`, each sheet is one table with a record a row. */
export function tablesOf(
  sheets: readonly Sheet[],
  { model, asTheyAre }: { model?: Model; asTheyAre: boolean },
): Table[] {
  if (asTheyAre) return sheets.flatMap((sheet) => plainTable(sheet) ?? []);
  const found = sheets.flatMap(tablesOn);
  const stacked = stackedTables(found, model);
  return stacked.map((table) => withSeries(withRepeats(table), model));
}

function plainTable(sheet: Sheet, shape?: SheetShape): Table | undefined {
  const layout = findLayout(headOf(sheet), sheet.merges);
  if (!layout || layout.columns.length === 0) return undefined;
  return { parts: [{ sheet, layout }], shape: shape ?? { plan: {}, why: [], leave: [] } };
}

/** A table whose blank cells at the left have the value above, where two columns or more say so. */
function withRepeats(table: Table): Table {
  const [first] = table.parts;
  if (!first) return table;
  const { sheet, layout } = first;
  const data = headOf(sheet).slice(layout.firstRow - 1);
  const found = repeatedColumns(layout, data, new Blanks(blankSpellings));
  if (found.length === 0) return table;
  const names = found.map(({ column }) => referenceTo(column, layout.columns));
  const { shape } = table;
  if (found.length === 1) {
    const said = `column ${names[0]} has blank cells below its values: \`repeat: [${names[0]}]\` in the plan gives them the value above`;
    return { ...table, shape: { ...shape, why: [...shape.why, said] } };
  }
  const repeat = found.map(({ column }) => column);
  return {
    parts: table.parts.map((part) => ({ ...part, layout: { ...part.layout, repeat } })),
    shape: {
      ...shape,
      plan: { ...shape.plan, repeat: names },
      why: [...shape.why, `blank cells of ${names.join(", ")} have the value above`],
    },
  };
}

function tablesOn(sheet: Sheet): Table[] {
  const rows = firstRows(sheet, mostRows + 1);
  if (rows.length > mostRows) return [plainTable(sheet)].filter((table) => table !== undefined);
  const areas = findAreas(rows);
  if (areas.length === 0) {
    return [turnedTable(sheet, rows) ?? plainTable(sheet)].filter((table) => table !== undefined);
  }
  const outside = outsideNote(
    sheet,
    areas.map(({ area }) => area),
  );
  return areas.flatMap(({ area, caption }, at) => {
    const shape: SheetShape = {
      plan: { area },
      why: [
        `one of ${areas.length} tables on its sheet, ${areaText(area)}${caption ? `, called ${JSON.stringify(caption)}` : ""}`,
        ...(at === 0 ? outside : []),
      ],
      ...(caption && captioned(caption)),
      leave: [],
    };
    const view = insideArea(sheet, area);
    return turnedTable(view, firstRows(view, mostRows), shape) ?? plainTable(view, shape) ?? [];
  });
}

/** What a caption calls its table, and the unit in it: `Honey in kg`. */
function captioned(caption: string): Pick<SheetShape, "called" | "unit"> {
  const [, called = "", unit = ""] = /^(.+?)(?:,| in| \(|:)\s*(\S{1,6}?)\)?$/u.exec(caption) ?? [];
  return called !== "" && isUnit(unit) ? { called, unit } : { called: caption };
}

function valueTitle(title: string, unit: string | undefined): string {
  return unit === undefined ? title : `${title} (${unit})`;
}

/** What is in none of the tables, in words. */
function outsideNote(sheet: Sheet, areas: readonly Area[]): string[] {
  const cells = [...cellsOutside(sheet, areas)];
  const [first] = cells;
  if (!first) return [];
  const count = cells.length === 1 ? "1 cell" : `${cells.length} cells`;
  return [`${count} beside the tables, the first ${first.address} ${JSON.stringify(first.text)}`];
}

/** A table whose records are columns; undefined where they are rows. */
function turnedTable(sheet: Sheet, rows: readonly Row[], shape?: SheetShape): Table | undefined {
  const area = tableArea(rows);
  if (!area) return undefined;
  const inside = rows
    .slice(area.top - 1, area.bottom)
    .map((row) => row.slice(area.left, area.right + 1));
  // Titles over several columns are over columns of values.
  const spans = sheet.merges.some(({ top, left, right }) => top >= area.top && right > left);
  if (spans || !isTurned(inside)) return undefined;
  const said = shape ?? { plan: {}, why: outsideNote(sheet, [area]), leave: [] };
  return plainTable(turnedSheet(insideArea(sheet, area), area.top), {
    ...said,
    plan: { ...said.plan, area, turned: true },
    why: [
      ...said.why,
      "its titles are the first cells of its rows, so that its columns become the records",
    ],
  });
}

/** The cells that are filled, without lines of one cell above and below the others. */
function tableArea(rows: readonly Row[]): Area | undefined {
  const filled = rows.map((row) => row.flatMap((cell, column) => (isEmpty(cell) ? [] : [column])));
  const wide = filled.map(({ length }) => length > 1);
  const top = wide.indexOf(true);
  const bottom = wide.lastIndexOf(true);
  if (top < 0) return undefined;
  const columns = filled.slice(top, bottom + 1).flat();
  return {
    top: top + 1,
    bottom: bottom + 1,
    left: columns.reduce((least, column) => Math.min(least, column)),
    right: columns.reduce((most, column) => Math.max(most, column)),
  };
}

/** What a sheet is called, and its workbook; a text file by itself. */
export function stackable({ sheet, file }: Sheet): { name: string; book: string | undefined } {
  return { name: sheet ?? withoutEnding(file), book: sheet === undefined ? undefined : file };
}

/** What the name of each part says, where a table has several. */
export function stackValues(parts: Table["parts"]): string[] {
  return stackNames(partNames(parts.map(({ sheet }) => stackable(sheet)))).values;
}

/** Tables of one shape on several sheets, or in several files, as one. */
function stackedTables(tables: readonly Table[], model: Model | undefined): Table[] {
  const whole = tables.map(({ shape, parts: [part] }) =>
    part && !shape.plan.area && !isEntity(stackable(part.sheet).name, model) ? part : undefined,
  );
  const candidates = whole.flatMap((part, at) => (part ? [{ ...part, at }] : []));
  const stacks = findStacks(
    candidates.map(({ sheet, layout }) => ({ ...stackable(sheet), layout })),
  );
  const places = stacks.map(({ members, names }) => ({
    members: members.map((member) => candidates[member]?.at ?? -1),
    names,
  }));
  return tables.flatMap((table, at) => {
    const stack = places.find(({ members }) => members.includes(at));
    if (!stack) return [table];
    if (stack.members[0] !== at) return [];
    const members = stack.members.flatMap((member) => tables[member] ?? []);
    return [stackOf(members, stack.names)];
  });
}

/** Whether a sheet is called as an entity of the model. */
function isEntity(name: string, model: Model | undefined): boolean {
  const said = folded(name);
  return (model?.entities ?? []).some((entity) =>
    [entity.name, entity.label, entity.plural].some((each) => folded(each) === said),
  );
}

function stackOf(tables: readonly Table[], { common, kind }: StackNames): Table {
  const parts = tables.flatMap((table) => table.parts);
  const [first] = parts;
  const titles = first?.layout.columns.map(({ header }) => header) ?? [];
  const words = shapeWords(languageOf([], titles) ?? "en");
  const taken = new Set(titles.map((title) => title.toLowerCase()));
  const named = parts.map(({ sheet }) => stackable(sheet));
  const names = partNames(named);
  const { file = "", sheet } = first?.sheet ?? {};
  // Sheets of one name are in files of several.
  const isOfFiles = sheet === undefined || names[0] !== named[0]?.name;
  const title = untakenTitle(words[kind ?? (isOfFiles ? "file" : "sheet")], taken);
  return {
    parts,
    shape: {
      plan: {
        stack: {
          sheets: parts
            .slice(1)
            .map((part) => (isOfFiles ? part.sheet.file : (part.sheet.sheet ?? ""))),
          title,
        },
      },
      why: [
        `${parts.length} sheets with the same columns, read as one: ${names.slice(0, 6).join(", ")}${names.length > 6 ? ", …" : ""}; the column ${title} says which`,
      ],
      called: isOfFiles && sheet !== undefined ? sheet : common || sheetWords(undefined, file),
      leave: [],
    },
  };
}

/** A table with the series among its columns, where it has one that the model doesn't have as fields. */
function withSeries(table: Table, model: Model | undefined): Table {
  const [first] = table.parts;
  if (!first) return table;
  const { sheet, layout } = first;
  const rows = headOf(sheet).slice(layout.firstRow - 1, layout.firstRow - 1 + headRows);
  const found = layout.header && findSeries(layout.columns, rows);
  if (!found || isInModel(layout.columns, found, model)) return table;
  const others = layout.columns.filter(({ column }) => !isOfSeries(found, column));
  if (others.length === 0) return table;
  const titles = layout.columns.map(({ header }) => header);
  const words = shapeWords(languageOf([], titles) ?? "en");
  const taken = new Set(titles.map((title) => title.toLowerCase()));
  // Rounds 1 to 3 are three rounds, of which each has a value.
  const [only, ...more] = found.values;
  const counted = found.kind === "number" && more.length === 0 ? only : undefined;
  const title = untakenTitle(counted ?? words[found.kind], taken);
  const values: string[] = [];
  for (const said of counted === undefined ? found.values : [undefined]) {
    values.push(
      untakenTitle(
        said ?? valueTitle(words.value, table.shape.unit),
        new Set([...taken, title.toLowerCase(), ...values.map((value) => value.toLowerCase())]),
      ),
    );
  }
  return { ...table, series: { found, title, values } };
}

/** Whether an entity of the model has half of the series' columns as fields. */
function isInModel(
  columns: readonly LayoutColumn[],
  { groups }: FoundSeries,
  model: Model | undefined,
): boolean {
  const steps = new Set(groups.flatMap((group) => group.columns));
  const headings = columns
    .filter(({ column }) => steps.has(column))
    .map(({ header, column }) => ({
      header,
      name: fieldTitle(header, column, "", new Set()).name,
    }));
  return (model?.entities ?? []).some(
    (entity) => matchedFields(entity, headings).size * 2 >= headings.length,
  );
}

/** The layout in which each step of the series is a record. */
export function seriesLayout(
  layout: Layout,
  { found, title, values }: TableSeries,
  keep: readonly number[],
): Layout {
  return unpivoted(layout, found.groups, { title, values, keep });
}
