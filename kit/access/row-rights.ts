import { sql } from "kysely";
import type { Entity } from "../entity/entity.ts";
import type { Action } from "./action.ts";
import { Forbidden, type Scope } from "./scope.ts";

/** Of some records, by their numbers, those with which the person may do something. */
export async function allowedAmong(
  scope: Scope,
  action: Action,
  entity: Entity,
  ids: readonly number[],
): Promise<ReadonlySet<number>> {
  if (!scope.may(action, entity)) return new Set();
  const condition = scope.policy.limits?.(scope, action, entity);
  if (!condition || ids.length === 0) return new Set(ids);
  const id = sql.ref(`${entity.table}.id`);
  const { rows } = await sql<{ id: number }>`
    select ${id} from ${scope.rowsOf(entity)} as ${sql.table(entity.table)} where ${id} in (${sql.join(ids)}) and ${condition}`.execute(
    scope.db,
  );
  return new Set(rows.map((row) => row.id));
}

/** What the person may not do with a record, of what the links of its page lead to. */
export async function refusedOn(scope: Scope, entity: Entity, id: number): Promise<Action[]> {
  const refused: Action[] = [];
  for (const action of new Set(scope.linksOf(entity, "record").map(({ needs }) => needs))) {
    if (!(await allowedAmong(scope, action, entity, [id])).has(id)) refused.push(action);
  }
  return refused;
}

/** Throws where the person may not do something with a record. */
export async function requireOn(
  scope: Scope,
  action: Action,
  entity: Entity,
  id: number,
): Promise<void> {
  if ((await allowedAmong(scope, action, entity, [id])).size === 0) {
    throw new Forbidden(action, entity);
  }
}

/** Whether a record that was just added is one that the person may add. */
export async function mayHaveAdded(scope: Scope, entity: Entity, id: number): Promise<boolean> {
  const condition = scope.policy.limits?.(scope, "add", entity);
  if (!condition) return true;
  const { rows } = await sql`
    select 1 as found from ${scope.seeingAll().rowsOf(entity)} as ${sql.table(entity.table)} where ${sql.ref(`${entity.table}.id`)} = ${id} and ${condition}`.execute(
    scope.db,
  );
  return rows.length > 0;
}
