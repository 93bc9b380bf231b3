import type { Schema } from "../schema/schema.ts";
import { alike, type Step } from "./steps.ts";

/** The phase of each kind of step. */
const turns: Readonly<Record<Step["kind"], number>> = {
  "drop check": -1,
  "rename table": 0,
  "rename column": 0,
  "drop index": 2,
  "add table": 3,
  "add column": 4,
  "extract lookup": 6,
  "inline lookup": 6,
  "reference to links": 6,
  "links to reference": 6,
  "move column": 6,
  "own sql": 6,
  "change column": 7,
  "drop column": 8,
  "drop table": 9,
  "add check": 9.5,
  "add index": 10,
};

function isRenamed({ table, index }: Extract<Step, { kind: "add index" }>, steps: readonly Step[]) {
  return steps.some(
    (other) =>
      other.kind === "drop index" &&
      other.table === table &&
      other.index.name !== index.name &&
      other.index.unique === index.unique &&
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
  const flows = steps.filter(({ kind }) => turns[kind] === 6);
  const position = new Map(to.tables.map(({ name }, at) => [name, at]));
  /** Whether no data moves, so that the steps of a check's table can be adjacent. */
  const isStill = (step: Step) =>
    (step.kind === "drop check" || step.kind === "add check") &&
    flows.length === 0 &&
    !steps.some(
      (other) =>
        ((other.kind === "rename table" || other.kind === "rename column") &&
          [other.table, other.to].includes(step.table)) ||
        (other.kind === "drop column" && other.table === step.table && makesRoom(other, steps)),
    );
  const turn = (step: Step): number => {
    const usual = isStill(step) ? 7 : turns[step.kind];
    if (makesRoom(step, steps)) return 2.5;
    // An index that only gets another name is there all the time, for what follows.
    if (step.kind === "add index" && isRenamed(step, steps)) return 2.2;
    // A column that becomes empty must be optional before data moves and, when reverting, after it has moved.
    if (
      step.kind === "change column" &&
      step.from.required &&
      !step.to.required &&
      flows.length > 0
    ) {
      return 5;
    }
    return flows.length === 0 && (usual === 4 || usual === 8) ? 7 : usual;
  };
  const place = (step: Step): number => {
    if (step.kind === "add table") return position.get(step.table.name) ?? 0;
    if (step.kind === "drop table") return step.table.key.length > 1 ? -1 : 0;
    if (turn(step) === 7 && "table" in step) {
      const at = position.get(step.table as string) ?? 0;
      return step.kind === "drop check" ? at - 0.1 : step.kind === "add check" ? at + 0.1 : at;
    }
    // Target rows are made before values move along references to them.
    return step.kind === "move column" ? 1 : 0;
  };
  return steps
    .map((step, at) => ({ step, at }))
    .sort((a, b) => turn(a.step) - turn(b.step) || place(a.step) - place(b.step) || a.at - b.at)
    .map(({ step }) => step);
}
