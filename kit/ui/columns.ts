import type { Child } from "hono/jsx";
import type { Scope } from "../access/scope.ts";
import type { Entity, Row, RowOf } from "../entity/entity.ts";
import { labelOfColumn } from "./value.tsx";

/** A column that a page makes by itself: what its heading says, and what is in a cell. */
export interface OwnColumn<Record> {
  /** The field that it is about, if it is; the heading sorts by it. */
  field?: string;
  /** The fields that it shows together; the heading sorts by each. */
  fields?: readonly string[];
  label?: string;
  cell(row: Record, scope: Scope): Child;
}

/** The columns of a table: fields by their names, and columns of one's own. */
export type Columns<Known extends Entity> = readonly (
  | (keyof Known["fields"] & string)
  | "id"
  | "version"
  | "created_at"
  | "updated_at"
  | OwnColumn<RowOf<Known>>
)[];

/** The columns that the person sees: not those that are about fields which are hidden from them. */
export function shownColumns<Known extends Entity>(
  scope: Scope,
  known: Known,
  columns: Columns<Known>,
): readonly (string | OwnColumn<Row>)[] {
  const entity = known as unknown as Entity;
  return (columns as readonly (string | OwnColumn<Row>)[]).filter((column) => {
    const { field, fields } = typeof column === "string" ? { field: column } : column;
    const names = fields ?? (field === undefined ? [] : [field]);
    return names.length === 0 || names.some((name) => !scope.isHidden(entity, name));
  });
}

/** What a column is called: by itself, or as its fields are in the language of the person. */
export function labelOfShown(
  scope: Scope,
  entity: Entity,
  column: string | OwnColumn<Row>,
): string {
  if (typeof column === "string") return labelOfColumn(scope, entity, column);
  const { label, field = "", fields = [field] } = column;
  const seen = fields.filter((name) => !scope.isHidden(entity, name));
  return label ?? seen.map((name) => labelOfColumn(scope, entity, name)).join(" · ");
}
