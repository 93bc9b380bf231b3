import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import { atSecond } from "../formula/zones.ts";

/** Who has the form of which record open, and when that was heard of last. */
const table = sql.table("levadura_presence");

/** How long somebody counts as being there after they were heard of, in milliseconds. */
const there = 45_000;

/** Notes that the person has the form of a record open, and gives the names of the others who have. Nobody is told where nobody signs in. */
export async function noteEditing(scope: Scope, entity: Entity, id: number): Promise<string[]> {
  const { db, person } = scope;
  if (!scope.access || !person) return [];
  const now = Date.now();
  const seen = atSecond(now);
  const gone = atSecond(now - there);
  await sql`
    delete from ${table} where seen_at < ${gone}
    or (entity_table = ${entity.table} and record_id = ${id} and account_id = ${person.id})`.execute(
    db,
  );
  const row = sql.join([entity.table, id, person.id, person.name.slice(0, 80), seen]);
  await sql`
    insert into ${table} (entity_table, record_id, account_id, name, seen_at) values (${row})`.execute(
    db,
  );
  const { rows } = await sql<{ name: string }>`
    select distinct name from ${table}
    where entity_table = ${entity.table} and record_id = ${id} and account_id <> ${person.id}
    and seen_at >= ${gone} order by name limit 5`.execute(db);
  return rows.map(({ name }) => name);
}

/** Notes that the person left the form of a record. */
export async function noteLeft(scope: Scope, entity: Entity, id: number): Promise<void> {
  if (!scope.access || !scope.person) return;
  await sql`
    delete from ${table} where entity_table = ${entity.table} and record_id = ${id}
    and account_id = ${scope.person.id}`.execute(scope.db);
}
