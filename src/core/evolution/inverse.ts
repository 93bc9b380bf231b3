import {
  type ChangeColumn,
  isExact,
  keepName,
  type ReferenceAndLinks,
  type Step,
} from "./steps.ts";

/** The steps that take others back, in their order. */
export function inverseOf(steps: readonly Step[]): Step[] {
  const back: Step[] = [];
  for (const step of steps.toReversed().map(inverse)) {
    const spent = back.flatMap((earlier) =>
      step.kind === "inline lookup" &&
      earlier.kind === "inline lookup" &&
      earlier.target === step.target
        ? [{ table: earlier.table, column: earlier.reference }]
        : [],
    );
    back.push(spent.length > 0 ? ({ ...step, spent } as Step) : step);
  }
  return back;
}

/** The step that takes another back. SQL of a person's own may have none for its way back. */
function inverse(step: Step): Step {
  switch (step.kind) {
    case "rename table":
      return { ...step, table: step.to, to: step.table };
    case "rename column":
      return { ...step, column: step.to, to: step.column };
    case "add table":
      return { kind: "drop table", table: step.table, keep: keepName(step.table.name) };
    case "drop table":
      return { kind: "add table", table: step.table, restore: step.keep };
    case "add column":
      return {
        kind: "drop column",
        table: step.table,
        column: step.column,
        keep: keepName(step.table, step.column.name),
      };
    case "drop column": {
      const { table, column, keep } = step;
      return { kind: "add column", table, column, ...(keep && { restore: keep }) };
    }
    case "change column":
      return inverseChange(step);
    case "add index":
      return { ...step, kind: "drop index" };
    case "drop index":
      return { ...step, kind: "add index" };
    case "add check":
      return { ...step, kind: "drop check" };
    case "drop check":
      return { ...step, kind: "add check" };
    case "extract lookup":
    case "inline lookup": {
      const { keep, restore: _, ...rest } = step;
      return {
        ...rest,
        kind: step.kind === "extract lookup" ? "inline lookup" : "extract lookup",
        ...(keep && { restore: keep }),
      };
    }
    case "reference to links": {
      const { restore: _, ...rest } = step;
      return { ...rest, kind: "links to reference", lossy: true, keep: keptLinks(step) };
    }
    case "links to reference": {
      const { lossy: _, keep, ...rest } = step;
      return { ...rest, kind: "reference to links", ...(keep && { restore: keep }) };
    }
    case "move column":
      return { ...step, from: step.to, to: step.from, lossy: true };
    case "own sql":
      return { ...step, forward: step.back ?? {}, back: step.forward };
  }
}

/** The file of the links that a reference can't hold. */
function keptLinks({ links }: ReferenceAndLinks): string {
  return `${keepName(links)}-others`;
}

/**
 * The steps that take others once more, after they were reverted: they bring back what the way back kept. What
 * data flows into gets its values that way.
 */
export function reapplied(steps: readonly Step[]): Step[] {
  const isFilled = (table: string, column?: string) =>
    steps.some((step) => {
      if (step.kind === "reference to links") return column === undefined && step.links === table;
      if (step.kind === "move column") return step.to.table === table && step.to.column === column;
      if (step.kind === "inline lookup") return step.table === table && step.column === column;
      return (
        (step.kind === "extract lookup" || step.kind === "links to reference") &&
        step.table === table &&
        step.reference === column
      );
    });
  return steps.map((step) => withRestored(step, isFilled));
}

/** A step that brings back what its way back kept, unless data flows there (`isFilled`). */
function withRestored(step: Step, isFilled: (table: string, column?: string) => boolean): Step {
  switch (step.kind) {
    case "add table": {
      const { name } = step.table;
      return step.restore || isFilled(name) ? step : { ...step, restore: keepName(name) };
    }
    case "add column": {
      const { table, column } = step;
      return step.restore || isFilled(table, column.name)
        ? step
        : { ...step, restore: keepName(table, column.name) };
    }
    case "change column": {
      const { keep } = inverseChange(step);
      return step.restore || !keep ? step : { ...step, restore: keep };
    }
    case "reference to links":
      return step.restore ? step : { ...step, restore: keptLinks(step) };
    case "rename table":
    case "rename column":
    case "drop table":
    case "drop column":
    case "add index":
    case "drop index":
    case "add check":
    case "drop check":
    case "extract lookup":
    case "inline lookup":
    case "links to reference":
    case "move column":
    case "own sql":
      return step;
  }
}

function inverseChange(step: ChangeColumn): ChangeColumn {
  const { table, from, to, values, keep, timezone } = step;
  // A value that existed before, too, may have been either of two: only the kept rows know which.
  const before = (from.checks ?? []).flatMap((check) =>
    check.kind === "one of" ? check.values : [],
  );
  const turned = Object.entries(values ?? {})
    .filter(([, now]) => !before.includes(now) || Object.hasOwn(values ?? {}, now))
    .map(([old, now]) => [now, old]);
  return {
    kind: "change column",
    table,
    from: to,
    to: from,
    ...(turned.length > 0 && { values: Object.fromEntries(turned) }),
    lossy: true,
    ...(isExact(to.type, from.type) ? {} : { keep: keepName(table, from.name) }),
    ...(keep && { restore: keep }),
    ...(timezone && { timezone }),
  };
}
