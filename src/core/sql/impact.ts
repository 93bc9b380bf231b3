import type { Change } from "../evolution/change.ts";
import { columnsTouched } from "../evolution/checks.ts";
import { tableBefore, withNamesBefore } from "../evolution/names-before.ts";
import { type ChangeColumn, type LookupChange, replay, type Step } from "../evolution/steps.ts";
import type { Schema } from "../schema/schema.ts";
import type { Dialect, Risk } from "./dialect.ts";

/** A risk of a change, asked of a database whose tables are still as they were. */
export interface OpenRisk extends Omit<Risk, "query"> {
  /** Undefined where the tables that it is about are not there yet. */
  query?: string;
  /** The step that it is a risk of. */
  step: Step;
}

/** What a change does to rows, as far as that is known without looking at them. */
export interface Impact {
  /** The table, by its present name in the database; undefined where it is new. */
  table?: string;
  risks: OpenRisk[];
  /** The tables of which every row is rewritten. */
  rewritten: string[];
}

/** The impact of a change, among all steps that lie between a database and the model. */
export function impactOf(
  { table, steps }: Pick<Change, "table" | "steps">,
  all: readonly Step[],
  before: Schema,
  dialect: Dialect,
): Impact {
  const known = tableBefore(table, all);
  const risks = steps.flatMap((step): OpenRisk[] => {
    // The values that move into a required column were checked before they move.
    if (step.kind === "change column" && isFilled(step, all)) return [];
    if (step.kind === "add index" && isOverNothing(step, all)) return [];
    if (step.kind === "add index" && isImplied(step, all, before)) return [];
    if (step.kind === "add check" && isOverMoving(step, all)) return [];
    const at = all.indexOf(step);
    const earlier = all.slice(0, Math.max(0, at));
    const then = dialect.risks(step, replay(earlier, before));
    const renamed = withNamesBefore(step, earlier);
    const now = renamed && dialect.risks(renamed, asBefore(renamed, step, earlier, before));
    return then.map(({ query: _, ...risk }, index) => ({
      ...risk,
      step,
      ...(now?.[index] && { query: now[index].query }),
    }));
  });
  return {
    ...(known !== undefined && { table: known }),
    risks,
    rewritten: dialect.rewritten(steps).filter((name) => tableBefore(name, all) !== undefined),
  };
}

/** Whether something flows into a column before it is changed, and was looked at whether it fills it. */
function isFilled({ table, to }: ChangeColumn, all: readonly Step[]): boolean {
  return all.some((step) => "required" in step && flowsInto(step, table, to.name));
}

/** Whether an index has a column that is new and has no value in any row. */
function isOverNothing(
  { table, index }: Extract<Step, { kind: "add index" }>,
  all: readonly Step[],
): boolean {
  return all.some(
    (step) =>
      step.kind === "add column" &&
      step.table === table &&
      index.columns.includes(step.column.name) &&
      step.column.default === undefined &&
      !step.fill &&
      !step.restore &&
      !all.some((other) => flowsInto(other, table, step.column.name)),
  );
}

/** Whether fewer of the columns are unique already, so that no two rows can have all of them alike. */
function isImplied(
  { table, index }: Extract<Step, { kind: "add index" }>,
  all: readonly Step[],
  before: Schema,
): boolean {
  const name = tableBefore(table, all) ?? table;
  const touched = columnsTouched(all, new Set([table, name]));
  const known = before.tables.find((each) => each.name === name)?.indexes ?? [];
  return known.some(
    ({ unique, inUse, columns }) =>
      unique &&
      (!inUse || index.inUse === true) &&
      columns.every((column) => index.columns.includes(column) && !touched.has(column)),
  );
}

/** Whether a check looks at columns that change: its rows are only known then, and the script looks at them. */
function isOverMoving(
  { table, check }: Extract<Step, { kind: "add check" }>,
  all: readonly Step[],
): boolean {
  const touched = columnsTouched(all, new Set([table, tableBefore(table, all) ?? table]));
  return check.columns.some((name) => touched.has(name));
}

function flowsInto(step: Step, table: string, column: string): boolean {
  switch (step.kind) {
    case "extract lookup":
    case "links to reference":
      return step.table === table && step.reference === column;
    case "inline lookup":
      return step.table === table && step.column === column;
    case "move column":
      return step.to.table === table && step.to.column === column;
    case "rename table":
    case "rename column":
    case "add table":
    case "drop table":
    case "add column":
    case "drop column":
    case "change column":
    case "add index":
    case "drop index":
    case "add check":
    case "drop check":
    case "reference to links":
    case "own sql":
      return false;
  }
}

/** The schema in which a step in old names is looked at: as it was, with what its texts go into. */
function asBefore(step: Step, original: Step, earlier: readonly Step[], before: Schema): Schema {
  if (step.kind !== "extract lookup" && step.kind !== "inline lookup") return before;
  const goal = step.kind === "extract lookup" ? step.target : (original as LookupChange).table;
  const later = replay(earlier, before).tables.find(({ name }) => name === goal);
  if (!later) return before;
  const name = step.kind === "extract lookup" ? goal : step.table;
  return { tables: [...before.tables.filter((table) => table.name !== name), { ...later, name }] };
}
