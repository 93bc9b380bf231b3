import type { Step } from "./steps.ts";

/**
 * A step in the names that tables and columns had before the steps that come before it; undefined where
 * it is about something that these steps only bring.
 */
export function withNamesBefore(step: Step, earlier: readonly Step[]): Step | undefined {
  const table = (name: string) => tableBefore(name, earlier);
  const column = (of: string, name: string) => columnBefore(of, name, earlier);
  const all = <Names extends Record<string, string | undefined>>(names: Names) =>
    Object.values(names).includes(undefined)
      ? undefined
      : ({ ...step, ...names } as unknown as Step);
  switch (step.kind) {
    case "drop table": {
      const name = table(step.table.name);
      const columns = step.table.columns.map((each) => ({
        ...each,
        name: column(step.table.name, each.name) ?? each.name,
      }));
      return name === undefined ? undefined : { ...step, table: { ...step.table, name, columns } };
    }
    case "drop column": {
      const [at, name] = [table(step.table), column(step.table, step.column.name)];
      return at === undefined || name === undefined
        ? undefined
        : { ...step, table: at, column: { ...step.column, name } };
    }
    case "change column": {
      const [at, name] = [table(step.table), column(step.table, step.from.name)];
      return at === undefined || name === undefined
        ? undefined
        : { ...step, table: at, from: { ...step.from, name }, to: { ...step.to, name } };
    }
    case "add check":
    case "add column":
      return all({ table: table(step.table) });
    case "add index": {
      const columns = step.index.columns.map((name) => column(step.table, name));
      const at = table(step.table);
      const known = columns.filter((name) => name !== undefined);
      return at === undefined || known.length < columns.length
        ? undefined
        : { ...step, table: at, index: { ...step.index, columns: known } };
    }
    case "extract lookup":
      return all({ table: table(step.table), column: column(step.table, step.column) });
    case "inline lookup":
      return all({ table: table(step.table), reference: column(step.table, step.reference) });
    case "links to reference":
      return all({
        table: table(step.table),
        links: table(step.links),
        from: column(step.links, step.from),
        to: column(step.links, step.to),
      });
    case "move column": {
      const { from, to, by } = step;
      const names = {
        from: { table: table(from.table), column: column(from.table, from.column) },
        by: { table: table(by.table), column: column(by.table, by.column) },
        to: { table: table(to.table), column: to.column },
      };
      const known = Object.values(names).every((place) =>
        Object.values(place).every((name) => name !== undefined),
      );
      return known ? ({ ...step, ...names } as Step) : undefined;
    }
    case "rename table":
    case "rename column":
    case "add table":
    case "drop index":
    case "drop check":
    case "reference to links":
    case "own sql":
      return step;
  }
}

/** The name that a table had before some steps; undefined where they bring it. */
export function tableBefore(name: string, earlier: readonly Step[]): string | undefined {
  let now: string = name;
  for (const step of earlier.toReversed()) {
    if (step.kind === "rename table" && step.to === now) now = step.table;
    if (step.kind === "add table" && step.table.name === now) return undefined;
  }
  return now;
}

function columnBefore(of: string, name: string, earlier: readonly Step[]): string | undefined {
  let table: string = of;
  let now: string = name;
  for (const step of earlier.toReversed()) {
    if (step.kind === "rename table" && step.to === table) table = step.table;
    if (!("table" in step) || step.table !== table) continue;
    if (step.kind === "rename column" && step.to === now) now = step.column;
    if (step.kind === "add column" && step.column.name === now) return undefined;
  }
  return now;
}
