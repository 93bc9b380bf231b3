import type { SpanParts } from "../../../kit/formula/durations.ts";
import type { DateOrder } from "./dates.ts";
import type { Encoding } from "./encodings.ts";
import type { Question } from "./finding.ts";
import type { LeftOutKind } from "./layout.ts";
import type { BareNumbers, DecimalSign } from "./numbers.ts";
import type { Area } from "./shapes/areas.ts";

/** What an import is going to do: found out, shown, and open to every correction before it is done. */
export interface ImportPlan {
  app: { name: string; language: string; currency: string; timezone: string };
  /** What counts as no value, in small letters. */
  blank: string[];
  sheets: SheetPlan[];
}

export interface SheetPlan {
  /** The name of the file, without its folder; `-` for standard input. */
  file: string;
  /** The sheet of a workbook. */
  sheet?: string;
  /** How a text file is written. */
  text?: TextFormat;
  /** The cells that its table is in, where the sheet has several. */
  area?: Area;
  /** Whether its records are columns, and its titles the first cells of the rows. */
  turned?: boolean;
  /** Sheets with the same columns that are read along with it. */
  stack?: StackPlan;
  entity: string;
  plural?: string;
  title?: string;
  /** The lines of the header; null where there is none. */
  header: { first: number; last: number } | null;
  rows: { first: number; last?: number };
  without: LeftOutKind[];
  /** What has to hold for a row to be taken. */
  where?: string;
  /** Columns whose blank cells have the value above. */
  repeat?: string[];
  unpivot?: UnpivotPlan;
  /** Columns that are made of several others, whose texts are put together. */
  joined?: JoinedPlan[];
  /** Fields that tell the rows apart together. */
  key?: string[];
  fields: FieldPlan[];
  /** Columns that are not taken. */
  leave: string[];
  splits: SplitPlan[];
}

export interface StackPlan {
  /** The names of the other sheets, or of the other files. */
  sheets: string[];
  /** The title of the column that says which sheet a record is from. */
  title: string;
}

/** Columns that are steps of a series, such as months: each of their cells becomes a record. */
export interface UnpivotPlan {
  /** The columns of each step, one for each value. */
  columns: { label: string; columns: string[] }[];
  /** The titles of the column that says which step it is, and of those with the values. */
  title: string;
  values: string[];
  /** The columns that each record keeps; all others of the table, without it. */
  keep?: string[];
}

export interface JoinedPlan {
  title: string;
  columns: string[];
  /** Whether it is there for a split only: without that, no field has it. */
  isForSplit?: boolean;
}

/** How the cells of a text file are delimited. */
export interface TextFormat {
  delimiter: string;
  quote: string;
  encoding: Encoding;
}

/** The parts of an amount with its currency. */
export const cellParts = ["amount", "currency"] as const;
export type CellPart = (typeof cellParts)[number];

export interface FieldPlan {
  name: string;
  /** The title of the column, or its letters where it has no title of its own; blank for what a formula gives. */
  column: string;
  /** The formula that its values are computed by, of other fields of the row. */
  formula?: string;
  /** The field in the short notation of models; left out for a field that the model has already. */
  is?: string;
  dates?: DateOrder;
  decimals?: DecimalSign;
  /** The first of the hundred years that two digits stand for. */
  century?: number;
  /** Other units than the field's, and the factor of each that makes it the field's. */
  units?: Record<string, string>;
  /** How small numbers without a percent sign are read where others have one. */
  bare?: BareNumbers;
  /** What the two parts of spans such as `1:20` are. */
  spans?: SpanParts;
  /** Which part of amounts in several currencies it is. */
  part?: CellPart;
  /** What is in a cell, and what it is to be read as. */
  replace?: Record<string, string>;
}

/** Columns that could be an entity of their own. */
export interface SplitPlan {
  entity: string;
  /** The unique field, and the fields that move with it. */
  by: string;
  with: string[];
  /** Whether the rows are lines of these records, and are deleted with them. */
  parts?: boolean;
  /** The sign between the names in a cell, where it lists several. */
  list?: string;
  do: boolean;
}

/** What is said beside each part of a plan: in its comments, and in the preview. */
export interface PlanNotes {
  sheets: SheetNotes[];
}

export interface SheetNotes {
  /** Rows of data. */
  rows: number;
  /** What was found around the table and is left out. */
  around: string[];
  /** By the name of the field. */
  fields: Map<string, FieldNotes>;
  /** Why some fields tell the rows apart. */
  key?: string;
  /** By the entity that could be split off. */
  splits: Map<string, string[]>;
}

export interface FieldNotes {
  why: string;
  /** How many different values there are. */
  distinct: number;
  guess?: string;
  /** What somebody who knows the sheet can settle, and some cells to ask about. */
  questions?: Question[];
  samples?: string[];
  /** Cells that won't fit: how many, and the first ones in words with their addresses. */
  setAside?: { count: number; cells: NotedCell[] };
  /** The column's formula, by the names of fields. */
  formula?: string;
}

export interface NotedCell {
  address: string;
  text: string;
  reason: string;
  near?: string;
}
