import type { RowCheck } from "../model/model.ts";

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

export type ColumnType =
  | { kind: "text"; max: number }
  | { kind: "long text" }
  | { kind: "integer" }
  | { kind: "decimal"; places: number }
  | { kind: "boolean" }
  | { kind: "date" }
  | { kind: "time" }
  | { kind: "datetime" };

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

/** What a value must obey. */
export type Check =
  | { kind: "length"; min?: number; max?: number }
  | { kind: "range"; min?: number | string; max?: number | string }
  | { kind: "one of"; values: string[] };

export interface Index {
  name: string;
  columns: string[];
  unique: boolean;
}

/** The table of this name; undefined where there is none. */
export function tableNamed(schema: Schema, name: string): Table | undefined {
  return schema.tables.find((table) => table.name === name);
}
