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
  if (!scope.policy.limits?.(scope, action, entity) || ids.length === 0) return new Set(ids);
  const id = sql.ref(`${entity.table}.id`);
  // Conditions look at all of a row, also at what the person doesn't see of it.
  const { rows } = await sql<{ id: number }>`
    select ${id} from ${scope.seeingAll().rowsOf(entity)} as ${sql.table(entity.table)}
    where ${id} in (${sql.join(ids)}) and ${scope.allows(action, entity)}`.execute(scope.db);
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

/** The fields that the person may not see, fill in or change of a record; of a new one without `id`, those of none. */
export async function fieldsKept(
  scope: Scope,
  action: Action,
  entity: Entity,
  id?: number,
): Promise<ReadonlySet<string>> {
  const withheld = [...scope.withheld(action, entity)];
  const kept = new Set(withheld.filter(([, where]) => !where).map(([name]) => name));
  const asked = withheld.flatMap(([name, where]) => (where ? [{ name, where }] : []));
  if (id === undefined || asked.length === 0) return kept;
  const answers = asked.map(({ where }, at) => sql`${where} as ${sql.ref(`c${at}`)}`);
  const { rows } = await sql<Record<string, unknown>>`
    select ${sql.join(answers)} from ${scope.seeingAll().rowsOf(entity)} as ${sql.table(entity.table)}
    where ${sql.ref(`${entity.table}.id`)} = ${id}`.execute(scope.db);
  for (const [at, { name }] of asked.entries()) if (!rows[0]?.[`c${at}`]) kept.add(name);
  return kept;
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
