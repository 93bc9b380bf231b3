import type { Column } from "../schema/schema.ts";
import type { Step } from "./steps.ts";

/**
 * Whether the application from before a step can run on the database once the step is done: while a new version is started
 * beside it, both work on the same tables. Undefined if so; otherwise why not, as a sentence without its subject.
 */
export function unfitFor(step: Step): string | undefined {
  switch (step.kind) {
    case "add table":
    case "drop index":
    case "drop check":
      return undefined;
    case "add column":
      return step.column.required && step.column.default === undefined
        ? `doesn't know ${step.table}.${step.column.name}, which every row needs`
        : undefined;
    case "add index":
      return step.index.unique
        ? `doesn't know that rows of ${step.table} have to differ in ${step.index.columns.join(", ")}`
        : undefined;
    case "change column":
      return isWider(step.from, step.to) && !step.values
        ? undefined
        : `writes ${step.table}.${step.from.name} as it was`;
    case "add check":
      return `doesn't know the rule ${step.check.holds}`;
    case "rename table":
    case "drop table":
      return `uses the table ${typeof step.table === "string" ? step.table : step.table.name}`;
    case "rename column":
      return `uses the column ${step.table}.${step.column}`;
    case "drop column":
      return `uses the column ${step.table}.${step.column.name}`;
    case "extract lookup":
    case "inline lookup":
      return `uses the texts in ${step.table}.${step.column}`;
    case "reference to links":
    case "links to reference":
      return `uses ${step.table}.${step.reference}`;
    case "move column":
      return `uses the column ${step.from.table}.${step.from.column}`;
    case "own sql":
      return `may not know what “${step.about}” changes`;
  }
}

/** Whether every value that a column could have is one that it can have now, and reads the same. */
function isWider(from: Column, to: Column): boolean {
  const { required: before, checks: _before, ...old } = from;
  const { required: now, checks = [], ...rest } = to;
  const isSame = JSON.stringify(old) === JSON.stringify(rest);
  return isSame && (before || !now) && checks.length === 0;
}
