import type { Table } from "../schema/schema.ts";
import { automatic, keyColumn } from "./columns.ts";
import type { Backfill } from "./steps.ts";

/** What rows get that a migration makes of texts, beside the text by which they are called. */
export interface Backfilling {
  /** The values for columns that need one, by their names. */
  others: Record<string, Backfill>;
  /** Why none can be made. */
  impossible?: string;
}

/** What new rows of a table get: `goal` as the migration leaves it, `now` as it is before, `fillOf` by column. */
export function newRows(
  goal: Table | undefined,
  now: Table | undefined,
  fillOf: (column: string) => Backfill | undefined,
): Backfilling {
  if (!goal) return { others: {} };
  const key = keyColumn(goal);
  const needed = goal.columns.filter(
    ({ name, required, default: start }) =>
      required && start === undefined && name !== key && !automatic.has(name),
  );
  const before = (name: string) => now?.columns.find((each) => each.name === name);
  const others: Record<string, Backfill> = {};
  const why = (reason: string) => ({ others, impossible: `new rows of ${goal.name} ${reason}` });
  for (const { name, type } of needed) {
    const fill = fillOf(name);
    if (!fill) return why(`need a value for ${name}: give it \`fill\``);
    const old = before(name);
    if (old?.required && old.type.kind !== type.kind)
      return why(
        `need a value for ${name} while its type changes: change it in a migration before`,
      );
    // A column that may be empty until then is filled when it changes; its type may be another one so far.
    if (!old || old.required) others[name] = fill;
  }
  const same = new Set(
    goal.columns
      .filter((each) => each.default !== undefined || needed.includes(each))
      .map(({ name }) => name),
  );
  const clash = goal.indexes.find(
    ({ unique, columns }) => unique && columns.every((name) => same.has(name)),
  );
  return clash
    ? why(`would all have the same ${clash.columns.join(" and ")}, which is unique`)
    : { others };
}
