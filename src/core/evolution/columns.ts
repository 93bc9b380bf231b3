import type { Field } from "../model/model.ts";
import { ownerColumn } from "../schema/from-model.ts";
import { type Column, type Schema, type Table, tableNamed } from "../schema/schema.ts";
import { circlesOf, takenOver } from "./former-names.ts";
import { alike, type Backfill, keepName, type Step } from "./steps.ts";

/** The columns that every table of an entity has by itself. */
export const automatic: ReadonlySet<string> = new Set([
  "id",
  "version",
  "created_at",
  "updated_at",
]);

/** The text column by which the rows of a table are distinguished. */
export function keyColumn(table: Table | undefined): string | undefined {
  if (!table) return undefined;
  const texts = table.columns.filter(({ type }) => type.kind === "text");
  const unique = (name: string) =>
    table.indexes.some(
      (index) =>
        index.unique &&
        !index.inUse &&
        index.columns.filter((column) => column !== ownerColumn).join() === name,
    );
  const found =
    texts.find(({ name, required }) => required && unique(name)) ??
    texts.find(({ name }) => unique(name)) ??
    texts.find(
      ({ required, checks = [] }) => required && !checks.some(({ kind }) => kind === "one of"),
    ) ??
    texts.find(({ checks = [] }) => !checks.some(({ kind }) => kind === "one of"));
  return found?.name;
}

export function choicesOf({ checks = [] }: Column): readonly string[] {
  return checks.flatMap((check) => (check.kind === "one of" ? check.values : []));
}

/** Choices that have another name now, by the old one; or why that can't be. */
export function renamedChoices(
  { type }: Field,
  from: Column,
  history: readonly Step[],
): { values?: Record<string, string>; impossible?: string } {
  if (type.kind !== "choice" || !type.formerly) return {};
  const formerly = new Map(Object.entries(type.formerly));
  const before = new Set(choicesOf(from));
  const { renamed, unclear } = takenOver(formerly, before, new Set(type.choices));
  const [first] = unclear;
  if (first) {
    const impossible = `the choice \`${first.name}\` was \`${first.old}\`, which is still a choice: take \`was ${first.old}\` out, or \`${first.old}\``;
    return { impossible };
  }
  for (const circle of circlesOf(formerly, before)) {
    const pairs = circle.map((name) => [formerly.get(name) ?? "", name] as const);
    const isDone = history.some(
      (step) =>
        step.kind === "change column" &&
        pairs.every(([old, name]) => step.values !== undefined && step.values[old] === name),
    );
    if (!isDone) for (const [old, name] of pairs) renamed.set(old, name);
  }
  return renamed.size > 0 ? { values: Object.fromEntries(renamed) } : {};
}

/**
 * The steps that add a column, let data flow into it, and then make it what it is to be. What has nothing to
 * flow stays without a value, or gets `fill`; which ones these were is kept for the way back.
 */
export function filled(
  table: string,
  column: Column,
  flow: Step,
  fill: Backfill | undefined,
): Step[] {
  const { default: _, ...bare } = column;
  const open: Column = { ...bare, required: false };
  return [
    { kind: "add column", table, column: open },
    flow,
    ...(!alike(open, column) || fill
      ? [
          {
            kind: "change column" as const,
            table,
            from: open,
            to: column,
            ...(fill && { fill, keep: keepName(table, column.name) }),
          },
        ]
      : []),
  ];
}

/** The steps that let a column go whose values went somewhere else. */
export function emptied(table: string, column: Column, keep: boolean): Step[] {
  const open: Column = { ...column, required: false };
  return [
    ...(column.required ? [{ kind: "change column" as const, table, from: column, to: open }] : []),
    {
      kind: "drop column",
      table,
      column: open,
      carried: true,
      ...(keep && { keep: keepName(table, column.name) }),
    },
  ];
}

/** The reference between two tables: that of the first schema that has one. */
export function referenceBetween(
  schemas: readonly Schema[],
  one: string,
  other: string,
): { table: string; column: string } | undefined {
  for (const schema of schemas) {
    for (const [table, target] of [
      [one, other],
      [other, one],
    ] as const) {
      const found = tableNamed(schema, table)?.columns.find(
        ({ references }) => references?.table === target,
      );
      if (found) return { table, column: found.name };
    }
  }
  return undefined;
}
