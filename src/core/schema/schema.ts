import type { Check, ColumnType } from "../fields/storage.ts";
import { archiveField, type RowCheck } from "../model/model.ts";

/** A database schema, in terms that every database has. */
export interface Schema {
  tables: Table[];
}

export interface Table {
  name: string;
  /** The label of one row, for sentences about it. */
  label: string;
  columns: Column[];
  /** The columns of the primary key: `id`, but for tables of links. */
  key: string[];
  indexes: Index[];
  /** What its rows have to obey, besides what their columns do. */
  checks?: RowCheck[];
}

export interface Column {
  name: string;
  type: ColumnType;
  required: boolean;
  /** What a row gets that doesn't say. */
  default?: string | number | boolean;
  /** The table whose `id` it holds. Deleting that row is refused, or takes this row along. */
  references?: { table: string; onDelete: "refuse" | "along" };
  checks?: Check[];
}

export interface Index {
  name: string;
  columns: string[];
  unique: boolean;
  /** Whether it is unique among the rows that aren't archived only. */
  inUse?: true;
  /** Whether it finds parts of words in its columns, instead of keeping their order. */
  words?: true;
}

/** The columns that an index can't do without. */
export function columnsNeeded({ columns, inUse }: Index): string[] {
  return inUse ? [...columns, archiveField] : columns;
}

/** The table of this name; undefined where there is none. */
export function tableNamed(schema: Schema, name: string): Table | undefined {
  return schema.tables.find((table) => table.name === name);
}
