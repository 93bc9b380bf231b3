import { literal, quoted } from "../../../../kit/database/sqlite/literals.ts";
import { orderColumn } from "../../../../kit/database/sqlite/text-order.ts";
import type { Backfill } from "../../evolution/steps.ts";
import type { Check, ColumnType } from "../../fields/storage.ts";
import type { Column, Index, Table } from "../../schema/schema.ts";
import { whereInUse } from "../in-use.ts";
import { rowCheckLines } from "../row-checks.ts";
import { isSameDecimal } from "./conversions.ts";
import { indexed, isOrdered } from "./ordering.ts";
import { createWords } from "./words.ts";

/** The current time, as date-times are kept. */
export const thisMoment = "strftime('%Y-%m-%dT%H:%M:%SZ', 'now')";

/** The expression of a value that rows are filled with. */
export function fillSql(fill: Backfill): string {
  if ("value" in fill) return literal(fill.value);
  if ("moment" in fill) return fill.moment === "today" ? "date('now')" : thisMoment;
  const { table, column, value } = fill.row;
  return `(select min(${quoted("id")}) from ${quoted(table)} where ${quoted(column)} = ${literal(value)})`;
}

export function createTable({ columns, key, checks }: Table, name: string): string {
  // AUTOINCREMENT, so that the number of a deleted row is never given to another one.
  const lines = columns.map((column) =>
    column.name === "id" && key.length === 1
      ? `${quoted("id")} integer primary key autoincrement`
      : columnSql(column),
  );
  lines.push(...columns.filter(isOrdered).map(({ name: text }) => orderColumnSql(text)));
  if (key.length > 1) lines.push(`primary key (${key.map(quoted).join(", ")})`);
  lines.push(...rowCheckLines({ quoted, database: "sqlite" }, checks));
  return `create table ${quoted(name)} (\n${lines.map((line) => `  ${line}`).join(",\n")}\n)`;
}

/** What makes an index of a table. */
export function createIndex(table: Table, index: Index): string[] {
  if (index.words) return createWords(table, index);
  return [
    `create ${index.unique ? "unique " : ""}index ${quoted(index.name)} on ${quoted(table.name)} (${indexed(table, index)})${whereInUse(quoted, index)}`,
  ];
}

/** The column beside a text column. */
export function orderColumnSql(text: string): string {
  return `${quoted(orderColumn(text))} text`;
}

export function columnSql(column: Column): string {
  const checks = checksOf(column, quoted(column.name));
  return [
    quoted(column.name),
    typeSql(column.type),
    column.required && "not null",
    column.default !== undefined && `default ${literal(column.default)}`,
    ...checks.map((check) => `check (${check})`),
    column.references &&
      `references ${quoted(column.references.table)} (${quoted("id")}) on delete ${
        column.references.onDelete === "along" ? "cascade" : "restrict"
      }`,
  ]
    .filter(Boolean)
    .join(" ");
}

export function typeSql(type: ColumnType): string {
  switch (type.kind) {
    case "text":
    case "long text":
      return "text collate nocase";
    case "integer":
      return "integer";
    case "decimal":
      return `decimal(15, ${type.places})`;
    case "boolean":
      return "boolean";
    case "files":
    case "code":
    case "date":
    case "time":
    case "datetime":
      return "text";
  }
}

/** What an expression has to obey for a column to take it. Null passes every one of them. */
export function checksOf(column: Column, value: string): string[] {
  const { checks = [] } = column;
  const { type } = column;
  // What the model says of a text may be all that its type says.
  const said = checks.some(
    (check) =>
      type.kind === "text" &&
      (check.kind === "one of" || (check.kind === "length" && (check.max ?? Infinity) <= type.max)),
  );
  return [
    said ? undefined : typeCheck(column, value),
    ...checks.map((check) => checkSql(check, value)),
  ].filter((check) => check !== undefined);
}

/** SQLite takes any value for any type, so the type itself is a check; `is`, because what is no date at all gives null. */
function typeCheck({ type, references }: Column, value: string): string | undefined {
  switch (type.kind) {
    case "text":
    case "code":
      return `length(${value}) <= ${type.max}`;
    case "integer":
      return references ? undefined : `typeof(${value}) in ('integer', 'null')`;
    case "decimal":
      return `typeof(${value}) in ('integer', 'real', 'null') and ${isSameDecimal(value, `round(${value}, ${type.places})`)}`;
    case "boolean":
      return `${value} in (0, 1)`;
    case "date":
      return `${value} is date(${value})`;
    case "time":
      return `${value} is strftime('%H:%M', ${value}) and ${value} < '24:00'`;
    case "datetime":
      return `${value} is strftime('%Y-%m-%dT%H:%M:%SZ', ${value})`;
    case "long text":
    case "files":
      return undefined;
  }
}

/** A check of the model's, on an expression. */
export function checkSql(check: Check, value: string): string {
  if (check.kind === "one of") return `${value} in (${check.values.map(literal).join(", ")})`;
  const measured = check.kind === "length" ? `length(${value})` : value;
  return [
    check.min !== undefined && `${measured} >= ${literal(check.min)}`,
    check.max !== undefined && `${measured} <= ${literal(check.max)}`,
  ]
    .filter(Boolean)
    .join(" and ");
}
