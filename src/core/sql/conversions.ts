import type { ColumnType } from "../schema/schema.ts";

type Kind = ColumnType["kind"];

/** Whether every value of a type can be turned into one of another. */
export function alwaysConverts(from: ColumnType, to: ColumnType): boolean {
  if (to.kind === "long text") return true;
  if (to.kind === "text") {
    return (from.kind === "text" ? from.max : (longest[from.kind] ?? Infinity)) <= to.max;
  }
  if (from.kind === "decimal" && to.kind === "decimal") return from.places <= to.places;
  return from.kind === to.kind || always.has(`${from.kind} ${to.kind}`);
}

const always: ReadonlySet<string> = new Set([
  "integer decimal",
  "boolean integer",
  "boolean decimal",
  "date datetime",
  "datetime date",
  "datetime time",
]);

/** How long the texts of other types can be. */
const longest: Partial<Record<Kind, number>> = {
  integer: 20,
  decimal: 20,
  boolean: 3,
  date: 10,
  time: 5,
  datetime: 20,
};
