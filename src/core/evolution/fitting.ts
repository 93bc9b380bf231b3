import type { Column, Schema } from "../schema/schema.ts";
import { replay, type Step } from "./steps.ts";

/** The ending of the name of a migration that is applied once the version before doesn't run any more. */
export const afterwards = "-afterwards";

/**
 * Why the application from before can't run on the database once these steps are done, each as a sentence without its subject:
 * while a new version is started beside it, both work on the same tables. None if it can.
 */
export function unfitFor(steps: readonly Step[]): string[] {
  const added = new Set<string>();
  const reasons = new Set<string>();
  for (const step of steps) {
    if (step.kind === "add table") added.add(step.table.name);
    // Nobody uses a table yet that is only just made.
    if ("table" in step && typeof step.table === "string" && added.has(step.table)) continue;
    const reason = reasonOf(step);
    if (reason !== undefined) reasons.add(reason);
  }
  return [...reasons];
}

/**
 * Steps in two parts that lead to the same schema: those to be done before a new version starts, and those that can wait until
 * the version before has ended, which it doesn't survive. Undefined where nothing can wait.
 */
export function splitSteps(
  steps: readonly Step[],
  from: Schema,
): { before: Step[]; after: Step[] } | undefined {
  const before: Step[] = [];
  const after: Step[] = [];
  for (const step of steps) {
    const parts = partsOf(step);
    before.push(...parts.before);
    after.push(...parts.after);
  }
  return after.length > 0 && leadsTo([...before, ...after], steps, from)
    ? { before, after }
    : undefined;
}

/** What of a step can be done before, and what can wait. */
function partsOf(step: Step): { before: Step[]; after: Step[] } {
  if (reasonOf(step) === undefined) return { before: [step], after: [] };
  switch (step.kind) {
    case "drop table":
    case "add index":
    case "add check":
      return { before: [], after: [step] };
    case "drop column":
      // The new version writes rows without it.
      return !step.column.required || step.column.default !== undefined
        ? { before: [], after: [step] }
        : { before: [step], after: [] };
    case "add column": {
      const { table, column, fill } = step;
      const open = { ...column, required: false };
      const close = { kind: "change column", table, from: open, to: column } as const;
      return {
        before: [{ ...step, column: open }],
        after: [{ ...close, ...(fill && { fill }) }],
      };
    }
    case "change column": {
      const isOnlyRequired = !step.values && isSame(step.from, { ...step.to, required: false });
      return isOnlyRequired ? { before: [], after: [step] } : { before: [step], after: [] };
    }
    default:
      return { before: [step], after: [] };
  }
}

/** Whether steps in another order lead to the same schema. */
function leadsTo(steps: readonly Step[], wanted: readonly Step[], from: Schema): boolean {
  try {
    return inOrder(replay(steps, from)) === inOrder(replay(wanted, from));
  } catch {
    return false;
  }
}

function inOrder({ tables }: Schema): string {
  const byName = (a: { name: string }, b: { name: string }) => (a.name < b.name ? -1 : 1);
  return JSON.stringify(
    tables.toSorted(byName).map((table) => ({
      ...table,
      columns: table.columns.toSorted(byName),
      indexes: table.indexes.toSorted(byName),
    })),
  );
}

function reasonOf(step: Step): string | undefined {
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
        : `reads and writes ${step.table}.${step.from.name} as it was`;
    case "add check":
      return `doesn't know the rule ${step.check.holds}`;
    case "rename table":
      return `uses the table ${step.table}`;
    case "drop table":
      return `uses the table ${step.table.name}`;
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
      return `may not know this: ${step.about}`;
  }
}

/** Whether every value that a column could have is one that it can have now, and reads the same. */
function isWider(from: Column, to: Column): boolean {
  const { checks: _before, ...old } = from;
  const { checks = [], ...rest } = to;
  return (
    isSame({ ...old, required: to.required }, rest) &&
    (from.required || !to.required) &&
    checks.length === 0
  );
}

function isSame(one: Column, other: Column): boolean {
  const sorted = (column: Column) => JSON.stringify(Object.entries(column).sort());
  return sorted(one) === sorted(other);
}
