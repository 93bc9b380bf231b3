import { labelOf } from "../../naming/words.ts";
import { folded } from "../cells.ts";
import type { ProfiledSheet, SheetShape } from "../draft.ts";
import { Dependencies } from "../functional-dependencies.ts";
import { referenceTo } from "../layout.ts";
import type { UnpivotPlan } from "../plan.ts";
import { type ColumnProfile, onlyColumns } from "../profile.ts";
import { fieldTitle, sheetWords } from "../titles.ts";
import type { TableSeries } from "./series.ts";
import { kindOf } from "./turned.ts";

/** A table that was looked at: as its rows are and, where it has a series, as the records of that. */
export interface ProfiledTable {
  rows: ProfiledSheet;
  records?: ProfiledSheet;
  series?: TableSeries;
}

/**
 * Decides what becomes of the series of tables. Where a column tells the rows of a table from each other, they are
 * records of their own, and each step of the series is a part of one. Where another table has these records already, or
 * nothing tells the rows, the steps are records that keep all other columns.
 */
export function settledShapes(tables: readonly ProfiledTable[]): ProfiledSheet[] {
  const keys: ColumnProfile[] = tables
    .filter(({ series }) => !series)
    .flatMap(({ rows }) => rows.profile.columns.filter((column) => isKey(column, rows)));
  return tables.flatMap(({ rows, records, series }) => {
    if (!records || !series) return [rows];
    const key = rows.profile.columns.find((column) => isKey(column, rows));
    const isElsewhere = keys.some((other) => key && isAmong(key, other));
    const isStacked = rows.shape.plan.stack !== undefined;
    if (!key || isElsewhere || isStacked) return [alone(records, series)];
    keys.push(key);
    return withParts(rows, records, { series, key });
  });
}

/** Whether a column tells the rows from each other. */
export function isKey(column: ColumnProfile, { profile }: ProfiledSheet): boolean {
  const { blanks, distinct, longest } = column;
  if (!isCalling(column)) return false;
  return blanks === 0 && distinct.size > 1 && longest <= 80 && distinct.repeated <= profile.copies;
}

/** Whether records may be called by the values: days, times and fractions are no names. */
export function isCalling({ groups }: ColumnProfile): boolean {
  const texts = groups.flatMap(({ examples }) => examples.map(({ text }) => text.trim()));
  return texts.every((text) => ["text", "digits"].includes(kindOf(text)) || /^\d+$/.test(text));
}

function isAmong(key: ColumnProfile, other: ColumnProfile): boolean {
  return key.distinct.sharedWith(other.distinct) >= 0.8 * key.distinct.size;
}

/** The columns of a series in words: `Jan to Dec`. */
function spanOf({ found: { groups } }: TableSeries): string {
  return `${groups[0]?.label} to ${groups.at(-1)?.label}`;
}

function unpivotPlan(
  { profile }: ProfiledSheet,
  { found, title, values }: TableSeries,
): UnpivotPlan {
  const { columns } = profile.layout;
  return {
    columns: found.groups.map((group) => ({
      label: group.label,
      columns: group.columns.flatMap((column) =>
        column === undefined ? [] : [referenceTo(column, columns)],
      ),
    })),
    title,
    values,
  };
}

function totalsOf({ profile }: ProfiledSheet, { found }: TableSeries): string[] {
  return found.totals.map(({ column }) => referenceTo(column, profile.layout.columns));
}

function totalWords(totals: readonly string[]): string[] {
  return totals.map((column) => `column ${column} is the sum of these, and is left out`);
}

/** Records of the steps, with all other columns of the table. */
function alone(records: ProfiledSheet, series: TableSeries): ProfiledSheet {
  const totals = totalsOf(records, series);
  const { shape } = records;
  return {
    ...records,
    shape: {
      ...shape,
      plan: { ...shape.plan, unpivot: unpivotPlan(records, series) },
      why: [
        ...shape.why,
        `${spanOf(series)} are ${series.found.groups.length} steps of a series: each cell of them becomes a row`,
        ...totalWords(totals),
      ],
      leave: [...shape.leave, ...totals],
    },
  };
}

/** The rows as records, and the steps as parts of them. */
function withParts(
  rows: ProfiledSheet,
  records: ProfiledSheet,
  { series, key }: { series: TableSeries; key: ColumnProfile },
): ProfiledSheet[] {
  const { shape, profile } = rows;
  const steps = unpivotPlan(rows, series);
  const totals = totalsOf(rows, series);
  const named = keyName(rows, key);
  const owner: ProfiledSheet = {
    ...rows,
    shape: {
      ...shape,
      ...(named !== undefined && { called: named }),
      why: [
        ...shape.why,
        `${spanOf(series)} are ${series.found.groups.length} steps of a series: they become rows of their own below`,
        ...totalWords(totals),
      ],
      leave: [...shape.leave, ...steps.columns.flatMap(({ columns }) => columns), ...totals],
    },
  };
  const kept = new Set([key.column, ...madeColumns(records)]);
  const part: SheetShape = {
    plan: {
      ...shape.plan,
      unpivot: { ...steps, keep: [referenceTo(key.column, profile.layout.columns)] },
    },
    why: [`each cell of ${spanOf(series)} becomes a row`],
    ...(named !== undefined && shape.called !== undefined && { called: shape.called }),
    part: { of: owner, by: key.column, isNamedAfter: named === undefined },
    leave: [],
  };
  return [
    owner,
    {
      ...records,
      remarks: 0,
      above: [],
      strayQuotes: [],
      formulas: new Map(),
      profile: {
        ...onlyColumns(records.profile, ({ column }) => kept.has(column)),
        leftOut: new Map(),
        beside: { count: 0, examples: [] },
        calledTotal: { count: 0, examples: [] },
        dependencies: new Dependencies(0),
      },
      shape: part,
    },
  ];
}

function madeColumns({ profile }: ProfiledSheet): number[] {
  const unpivot = profile.layout.reshaping?.unpivot;
  return unpivot ? [unpivot.title, ...unpivot.values] : [];
}

const namingOnly =
  /^(name|title|code|no|nr|num|number|id|ref|key|label|description|column_\w+|sheet_id)$/;

/**
 * What the records are called by their key. A sheet with little besides the series is about its values, and the records
 * are what its first column says. Undefined for a sheet with more: it is about the records.
 */
function keyName(
  { profile, shape, sheet, file }: ProfiledSheet,
  key: ColumnProfile,
): string | undefined {
  const { name } = fieldTitle(key.header, key.column, "", new Set());
  const called = labelOf(name.replace(/_(name|code|no|number|id)$/, ""));
  const said = shape.called ?? sheetWords(sheet, file);
  const isAboutValues = profile.columns.length <= 2 && !namingOnly.test(name);
  return isAboutValues && folded(called) !== folded(said) ? called : undefined;
}
