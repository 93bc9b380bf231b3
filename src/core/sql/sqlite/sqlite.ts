import type { Step } from "../../evolution/steps.ts";
import type { Check, Column, ColumnType, Index, Table } from "../../schema/schema.ts";
import type { Dialect } from "../dialect.ts";

/** SQLite: types are affinities with checks behind them, and what can't be altered is made anew. */
export const sqlite: Dialect = { name: "sqlite", forward, back, quoted };

function forward(step: Step): string[] {
  switch (step.kind) {
    case "add table":
      return [
        createTable(step.table),
        ...step.table.indexes.map((index) => createIndex(step.table.name, index)),
      ];
    case "add column":
      return [`alter table ${quoted(step.table)} add column ${columnSql(step.column)}`];
    case "add index":
      return [createIndex(step.table, step.index)];
    case "drop index":
      return [`drop index ${quoted(step.index.name)}`];
  }
}

function back(step: Step): string[] {
  switch (step.kind) {
    case "add table":
      return [`drop table ${quoted(step.table.name)}`];
    case "add column":
      return [`alter table ${quoted(step.table)} drop column ${quoted(step.column.name)}`];
    case "add index":
      return [`drop index ${quoted(step.index.name)}`];
    case "drop index":
      return [createIndex(step.table, step.index)];
  }
}

function quoted(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

function literal(value: string | number | boolean): string {
  if (typeof value === "boolean") return value ? "1" : "0";
  return typeof value === "number" ? String(value) : `'${value.replaceAll("'", "''")}'`;
}

function createTable({ name, columns, key }: Table): string {
  // AUTOINCREMENT, so that the number of a deleted row is never given to another one.
  const lines = columns.map((column) =>
    column.name === "id" && key.length === 1
      ? `${quoted("id")} integer primary key autoincrement`
      : columnSql(column),
  );
  if (key.length > 1) lines.push(`primary key (${key.map(quoted).join(", ")})`);
  return `create table ${quoted(name)} (\n${lines.map((line) => `  ${line}`).join(",\n")}\n)`;
}

function createIndex(table: string, { name, columns, unique }: Index): string {
  return `create ${unique ? "unique " : ""}index ${quoted(name)} on ${quoted(table)} (${columns.map(quoted).join(", ")})`;
}

function columnSql(column: Column): string {
  const checks = [
    typeCheck(column),
    ...(column.checks ?? []).map((check) => checkSql(column, check)),
  ];
  return [
    quoted(column.name),
    typeSql(column.type),
    column.required && "not null",
    column.default !== undefined && `default ${literal(column.default)}`,
    ...checks.map((check) => check && `check (${check})`),
    column.references &&
      `references ${quoted(column.references.table)} (${quoted("id")}) on delete ${
        column.references.onDelete === "along" ? "cascade" : "restrict"
      }`,
  ]
    .filter(Boolean)
    .join(" ");
}

function typeSql(type: ColumnType): string {
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
    case "date":
    case "time":
    case "datetime":
      return "text";
  }
}

/** SQLite takes any value for any type, so the type itself is a check. Null passes every one of them; `is`, because what is no date at all gives null. */
function typeCheck({ name, type, references }: Column): string | undefined {
  const column = quoted(name);
  switch (type.kind) {
    case "text":
      return `length(${column}) <= ${type.max}`;
    case "integer":
      return references ? undefined : `typeof(${column}) in ('integer', 'null')`;
    case "decimal":
      return `typeof(${column}) in ('integer', 'real', 'null') and ${column} = round(${column}, ${type.places})`;
    case "boolean":
      return `${column} in (0, 1)`;
    case "date":
      return `${column} is date(${column})`;
    case "time":
      return `${column} is strftime('%H:%M', ${column}) and ${column} < '24:00'`;
    case "datetime":
      return `${column} is strftime('%Y-%m-%dT%H:%M:%SZ', ${column})`;
    case "long text":
      return undefined;
  }
}

function checkSql({ name }: Column, check: Check): string {
  const column = quoted(name);
  if (check.kind === "one of") return `${column} in (${check.values.map(literal).join(", ")})`;
  const measured = check.kind === "length" ? `length(${column})` : column;
  return [
    check.min !== undefined && `${measured} >= ${literal(check.min)}`,
    check.max !== undefined && `${measured} <= ${literal(check.max)}`,
  ]
    .filter(Boolean)
    .join(" and ");
}
