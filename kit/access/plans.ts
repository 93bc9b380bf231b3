import { sql } from "kysely";
import type { Entity } from "../entity/entity.ts";
import { accountTables } from "./account-tables.ts";
import { membersOf } from "./accounts.ts";
import { planOf } from "./plan.ts";
import type { Scope } from "./scope.ts";

/** How many records of an entity an organisation has, and how many it may have. */
export interface Usage {
  used: number;
  most: number;
}

/** Undefined where the plan says nothing of the entity. */
export async function usageOf(scope: Scope, entity: Entity): Promise<Usage | undefined> {
  const most = planOf(scope)?.plan.records[entity.table];
  if (most === undefined) return undefined;
  const { rows } = await sql<{ total: number }>`
    select count(*) as total from ${scope.seeingAll().rowsOf(entity)} as counted`.execute(scope.db);
  return { used: Number(rows[0]?.total ?? 0), most };
}

/** How many people an organisation has, and may have; undefined where the plan doesn't say. */
export async function peopleUsage(scope: Scope): Promise<Usage | undefined> {
  const most = planOf(scope)?.plan.people;
  if (most === undefined || scope.organisation === undefined) return undefined;
  const people = await membersOf(accountTables(scope.db), scope.organisation).distinct().execute();
  return { used: people.length, most };
}

/**
 * The usage of a plan into which no other record of an entity fits; undefined where one does. Within a transaction, those who ask at the same time wait for each other, or
 * neither would count what the other adds.
 */
export async function usedUp(scope: Scope, entity: Entity): Promise<Usage | undefined> {
  if (planOf(scope)?.plan.records[entity.table] === undefined) return undefined;
  await accountTables(scope.db)
    .updateTable("levadura_organisation")
    .set({ made_at: sql`${sql.ref("made_at")}` })
    .where("id", "=", scope.organisation ?? 0)
    .execute();
  const usage = await usageOf(scope, entity);
  return usage && usage.used >= usage.most ? usage : undefined;
}
