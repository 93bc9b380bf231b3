import type { Column, Index, Schema, Table } from "../schema/schema.ts";

/** One change of a schema, in no database's own terms. */
export type Step =
  | { kind: "add table"; table: Table }
  | { kind: "add column"; table: string; column: Column }
  | { kind: "add index"; table: string; index: Index }
  | { kind: "drop index"; table: string; index: Index };

/** A step in a sentence. */
export function describeStep(step: Step): string {
  switch (step.kind) {
    case "add table":
      return `adds the table ${step.table.name} with ${step.table.columns.length} columns`;
    case "add column":
      return `adds the column ${step.table}.${step.column.name}`;
    case "add index":
      return `adds ${step.index.unique ? "a unique" : "an"} index on ${step.table} (${step.index.columns.join(", ")})`;
    case "drop index":
      return `drops the index on ${step.table} (${step.index.columns.join(", ")})`;
  }
}

/** A step in a few words, for the name of a migration: `add-hive-weight`. */
export function nameStep(step: Step): string {
  const words =
    step.kind === "add table"
      ? ["add", step.table.name]
      : step.kind === "add column"
        ? ["add", step.table, step.column.name]
        : ["index", step.table];
  return words.join("-").replaceAll("_", "-").slice(0, 60);
}

/** The schema after a step. */
export function takeStep(schema: Schema, step: Step): Schema {
  if (step.kind === "add table") return { tables: [...schema.tables, step.table] };
  const change = (table: Table): Table => {
    switch (step.kind) {
      case "add column":
        return { ...table, columns: [...table.columns, step.column] };
      case "add index":
        return { ...table, indexes: [...table.indexes, step.index] };
      case "drop index":
        return { ...table, indexes: table.indexes.filter(({ name }) => name !== step.index.name) };
    }
  };
  return {
    tables: schema.tables.map((table) => (table.name === step.table ? change(table) : table)),
  };
}

/** The schema that a row of steps leads to, from nothing. */
export function replay(steps: readonly Step[]): Schema {
  return steps.reduce(takeStep, { tables: [] });
}
