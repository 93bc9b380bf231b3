import type { Schema } from "../schema/schema.ts";
import { alike, type Step } from "./steps.ts";

/** The phases in which steps are taken, in their order. */
const phases = [
  "drop checks",
  "rename",
  "drop indexes",
  "rename indexes",
  "make room",
  "add tables",
  "add columns",
  "loosen columns",
  "move data",
  "change columns",
  "drop columns",
  "drop tables",
  "add checks",
  "add indexes",
] as const;
type Phase = (typeof phases)[number];

/** The usual phase of each kind of step. */
const usualPhases: Readonly<Record<Step["kind"], Phase>> = {
  "drop check": "drop checks",
  "rename table": "rename",
  "rename column": "rename",
  "drop index": "drop indexes",
  "add table": "add tables",
  "add column": "add columns",
  "extract lookup": "move data",
  "inline lookup": "move data",
  "reference to links": "move data",
  "links to reference": "move data",
  "move column": "move data",
  "own sql": "move data",
  "change column": "change columns",
  "drop column": "drop columns",
  "drop table": "drop tables",
  "add check": "add checks",
  "add index": "add indexes",
};

function isRenamed({ table, index }: Extract<Step, { kind: "add index" }>, steps: readonly Step[]) {
  return steps.some(
    (other) =>
      other.kind === "drop index" &&
      other.table === table &&
      other.index.name !== index.name &&
      other.index.unique === index.unique &&
      other.index.inUse === index.inUse &&
      other.index.words === index.words &&
      alike(other.index.columns, index.columns) &&
      !steps.some(
        (added) =>
          added.kind === "add column" &&
          added.table === table &&
          index.columns.includes(added.column.name),
      ),
  );
}

/** Whether a step drops what another one adds under the same name. */
function makesRoom(step: Step, steps: readonly Step[]): boolean {
  if (step.kind === "drop table") {
    return steps.some(
      (other) => other.kind === "add table" && other.table.name === step.table.name,
    );
  }
  return (
    step.kind === "drop column" &&
    steps.some(
      (other) =>
        other.kind === "add column" &&
        other.table === step.table &&
        other.column.name === step.column.name,
    )
  );
}

/**
 * Steps in an order in which they can be taken, forward and back: data flows once its columns are there
 * and may be empty, and before the old ones are dropped. Where no data moves, the steps of a table are adjacent.
 */
export function orderSteps(steps: readonly Step[], to: Schema): Step[] {
  const flows = steps.filter(({ kind }) => usualPhases[kind] === "move data");
  const position = new Map(to.tables.map(({ name }, at) => [name, at]));
  const phaseOf = (step: Step): Phase => phaseAmong(step, steps, flows.length > 0);
  /** The place of a step within its phase: that of its table, and before or after others of the same table. */
  const placeOf = (step: Step): readonly [number, number] => {
    if (step.kind === "add table") return [position.get(step.table.name) ?? 0, 0];
    // Tables of links are dropped before those that they lead to.
    if (step.kind === "drop table") return [step.table.key.length > 1 ? -1 : 0, 0];
    if (phaseOf(step) === "change columns" && "table" in step) {
      const within = { "drop check": -1, "add check": 1 }[step.kind as string] ?? 0;
      return [position.get(step.table as string) ?? 0, within];
    }
    // Target rows are made before values move along references to them.
    return [step.kind === "move column" ? 1 : 0, 0];
  };
  return steps
    .map((step, at) => {
      const [place, within] = placeOf(step);
      return { step, key: [phases.indexOf(phaseOf(step)), place, within, at] };
    })
    .sort((one, other) => compare(one.key, other.key))
    .map(({ step }) => step);
}

/** Orders lists of numbers by the first in which they differ. */
function compare(one: readonly number[], other: readonly number[]): number {
  const at = one.findIndex((number, place) => number !== other[place]);
  return at < 0 ? 0 : (one[at] ?? 0) - (other[at] ?? 0);
}

/** The phase of a step among others. */
function phaseAmong(step: Step, steps: readonly Step[], moves: boolean): Phase {
  if (makesRoom(step, steps)) return "make room";
  // An index that only gets another name is there all the time, for what follows.
  if (step.kind === "add index" && isRenamed(step, steps)) return "rename indexes";
  const usual = usualPhases[step.kind];
  if (moves) {
    // A column that becomes empty must be optional before data moves and, when reverting, after it has moved.
    const loosens = step.kind === "change column" && step.from.required && !step.to.required;
    return loosens ? "loosen columns" : usual;
  }
  // Where no data moves, the steps of a table can be adjacent.
  const isColumn = step.kind === "add column" || step.kind === "drop column";
  const isCheck = step.kind === "add check" || step.kind === "drop check";
  return isColumn || (isCheck && keepsItsTable(step, steps)) ? "change columns" : usual;
}

/** Whether the table of a check keeps its name and gives no column's place to another one. */
function keepsItsTable(
  { table }: Extract<Step, { kind: "add check" | "drop check" }>,
  steps: readonly Step[],
): boolean {
  return !steps.some(
    (other) =>
      ((other.kind === "rename table" || other.kind === "rename column") &&
        [other.table, other.to].includes(table)) ||
      (other.kind === "drop column" && other.table === table && makesRoom(other, steps)),
  );
}
