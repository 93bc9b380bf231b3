import type { Model } from "../model/model.ts";
import { tableOf } from "../schema/from-model.ts";
import { type Schema, type Table, tableNamed } from "../schema/schema.ts";
import type { Change, Decisions, LikelyRename } from "./change.ts";
import { automatic } from "./columns.ts";

/** Pairs of a removed and an added name that are alike; each name is in at most one pair. */
export function likelyRenames(
  changes: readonly Change[],
  now: Schema,
  model: Model,
  decisions: Decisions,
): LikelyRename[] {
  const renames: LikelyRename[] = [];
  const gone = changes.filter(({ lossAccepted }) => lossAccepted !== undefined);
  const settled = (name: string) => decisions.acceptLoss?.has(name) ?? false;
  const used = new Set<string>();
  for (const { table, column } of gone) {
    if (column === undefined) {
      const old = tableNamed(now, table);
      if (settled(table) || !old || old.key.length > 1) continue;
      const come = changes.find(
        ({ steps: [step] }) =>
          step?.kind === "add table" && !used.has(step.table.name) && alikeTables(old, step.table),
      );
      const entity = model.entities.find(({ name }) => tableOf(name) === come?.table);
      if (!come || !entity) continue;
      used.add(come.table);
      renames.push({ table, to: come.table, line: `was: ${pascal(table)}` });
    } else {
      if (settled(`${table}.${column}`)) continue;
      const old = tableNamed(now, table)?.columns.find(({ name }) => name === column);
      const come = changes.find(
        ({ table: at, steps: [step] }) =>
          at === table &&
          step?.kind === "add column" &&
          !used.has(`${table}.${step.column.name}`) &&
          step.column.type.kind === old?.type.kind &&
          step.column.references?.table === old.references?.table,
      );
      if (!come?.column) continue;
      used.add(`${table}.${come.column}`);
      const isId = old?.references !== undefined;
      const field = isId ? column.replace(/_id$/, "") : column;
      renames.push({ table, column, to: come.column, line: `was ${field}` });
    }
  }
  return renames;
}

/** Whether most columns of two tables are the same. */
function alikeTables(one: Table, other: Table): boolean {
  const own = (table: Table) =>
    table.columns
      .filter(({ name }) => !automatic.has(name))
      .map(({ name, type }) => `${name} ${type.kind}`);
  const [first, second] = [own(one), new Set(own(other))];
  const shared = first.filter((column) => second.has(column)).length;
  return shared * 2 >= Math.max(first.length, second.size) && shared > 0;
}

function pascal(table: string): string {
  return table.replace(/(^|_)(\p{L})/gu, (_all, _line, letter: string) => letter.toUpperCase());
}
