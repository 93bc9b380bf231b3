import { isDeepStrictEqual } from "node:util";
import { type Column, type Schema, type Table, tableNamed } from "../schema/schema.ts";
import type { Step } from "./steps.ts";

/** What lies between two schemas. */
export interface Difference {
  /** Steps that no row stands in the way of. */
  steps: Step[];
  /** Changes that could touch rows: they wait. */
  waiting: WaitingChange[];
}

/** A change that isn't made by itself, in a sentence. */
export interface WaitingChange {
  table: string;
  /** Undefined when the whole table is concerned. */
  column?: string;
  message: string;
}

/** What has to be done to get from one schema to another. New tables and columns that may be empty come first. */
export function difference(from: Schema, to: Schema): Difference {
  const steps: Step[] = [];
  const waiting: WaitingChange[] = [];
  for (const table of to.tables) {
    const old = tableNamed(from, table.name);
    if (old) compareTables(old, table, steps, waiting);
    else steps.push({ kind: "add table", table });
  }
  for (const { name } of from.tables) {
    if (!tableNamed(to, name)) {
      waiting.push({ table: name, message: `the table ${name} is no longer in the model` });
    }
  }
  return { steps, waiting };
}

function compareTables(from: Table, to: Table, steps: Step[], waiting: WaitingChange[]): void {
  const table = to.name;
  for (const column of to.columns) {
    const old = from.columns.find(({ name }) => name === column.name);
    if (old) {
      const changes = columnChanges(old, column);
      for (const change of changes) {
        waiting.push({ table, column: column.name, message: `${table}.${column.name} ${change}` });
      }
    } else if (column.required && column.default === undefined) {
      const message = `${table}.${column.name} is new and required, and the rows there are have no value for it`;
      waiting.push({ table, column: column.name, message });
    } else {
      steps.push({ kind: "add column", table, column });
    }
  }
  for (const { name } of from.columns) {
    if (!to.columns.some((column) => column.name === name)) {
      waiting.push({ table, column: name, message: `${table}.${name} is no longer in the model` });
    }
  }
  for (const index of from.indexes) {
    if (!to.indexes.some((other) => isDeepStrictEqual(other, index))) {
      steps.push({ kind: "drop index", table, index });
    }
  }
  for (const index of to.indexes) {
    if (from.indexes.some((other) => isDeepStrictEqual(other, index))) continue;
    const added = index.columns.every(
      (name) => !from.columns.some((column) => column.name === name),
    );
    if (index.unique && !added) {
      const message = `${table} (${index.columns.join(", ")}) becomes unique, and rows may be alike`;
      waiting.push({ table, column: index.columns[0] ?? "", message });
    } else steps.push({ kind: "add index", table, index });
  }
}

function columnChanges(from: Column, to: Column): string[] {
  const changes: string[] = [];
  const differ = (a: unknown, b: unknown) => !isDeepStrictEqual(a, b);
  if (differ(from.type, to.type))
    changes.push(`turns from ${typeWords(from)} into ${typeWords(to)}`);
  if (from.required !== to.required)
    changes.push(to.required ? "becomes required" : "is no longer required");
  if (from.default !== to.default) changes.push("has another default");
  if (differ(from.references, to.references)) changes.push("refers to something else");
  if (differ(from.checks ?? [], to.checks ?? [])) changes.push("has other limits or choices");
  return changes;
}

function typeWords({ type }: Column): string {
  if (type.kind === "text") return `text of at most ${type.max} characters`;
  return type.kind === "decimal" ? `a decimal with ${type.places} places` : type.kind;
}
