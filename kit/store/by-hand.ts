import { type Kysely, sql } from "kysely";
import { requireOn } from "../access/row-rights.ts";
import type { AnyTables, Scope } from "../access/scope.ts";
import { type Entity, handColumn } from "../entity/entity.ts";
import { findAnyRow } from "./select.ts";
import { inTransaction } from "./transactions.ts";

/**
 * Records that people put in order: by a column whose numbers are far apart, so that a record that is moved is the only one
 * that is written. What came from elsewhere has none yet: it is first, by its own number.
 */

/** How far apart the places of records are at first. */
const apart = 65_536;

/** Where a record is put: right before or right behind another one. */
export type HandPlace = { before: number } | { after: number };

/** The place of a new record, behind all others; no column where a list isn't ordered by hand. */
export async function lastPlace(
  db: Kysely<AnyTables>,
  { byHand, table }: Entity,
): Promise<Record<string, number>> {
  if (!byHand) return {};
  const column = sql.ref(handColumn);
  const { rows } = await sql<{ last: number | null }>`
    select max(${column}) as last from ${sql.table(table)}`.execute(db);
  return { [handColumn]: Number(rows[0]?.last ?? 0) + apart };
}

/**
 * Puts a record in another place. False where it, or the one beside it, is gone; throws `Forbidden` where the person may not
 * do it. Moving a record doesn't change its version.
 */
export async function putBeside(
  scope: Scope,
  entity: Entity,
  id: number,
  place: HandPlace,
): Promise<boolean> {
  await requireOn(scope, "change", entity, id);
  const beside = "before" in place ? place.before : place.after;
  if (beside === id) return true;
  // What is out of sight can't be told from what isn't there.
  if (!(await findAnyRow(scope, entity, beside))) return false;
  return inTransaction(scope.db, async (trx) => {
    await settle(trx, entity);
    let found = await between(trx, entity, id, place);
    if (found === "dense") {
      await spread(trx, entity, beside);
      found = await between(trx, entity, id, place);
    }
    if (typeof found !== "number") return false;
    const { numUpdatedRows } = await trx
      .updateTable(entity.table)
      .set({ [handColumn]: found })
      .where("id", "=", id)
      .where(scope.within(trx).allows("change", entity))
      .executeTakeFirst();
    return numUpdatedRows > 0n;
  });
}

/** Gives those that have no place yet theirs: before all others, by number. */
async function settle(db: Kysely<AnyTables>, { table }: Entity): Promise<void> {
  const [column, rows] = [sql.ref(handColumn), sql.table(table)];
  const asked = await sql<{ least: number | null; most: number | null }>`
    select min(${column}) as least, max(case when ${column} is null then id end) as most from ${rows}`.execute(
    db,
  );
  const [{ least, most } = { least: null, most: null }] = asked.rows;
  if (most === null) return;
  const from = Number(least ?? 0) - (Number(most) + 1) * apart;
  await sql`update ${rows} set ${column} = ${sql.lit(from)} + id * ${sql.lit(apart)} where ${column} is null`.execute(
    db,
  );
}

/** A number between a record and the next one in a direction; `dense` where there is none, undefined where it is gone. */
async function between(
  db: Kysely<AnyTables>,
  { table }: Entity,
  id: number,
  place: HandPlace,
): Promise<number | "dense" | undefined> {
  const column = sql.ref(handColumn);
  const forward = "after" in place;
  const beside = forward ? place.after : place.before;
  const [sign, direction] = forward ? [sql`>`, sql`asc`] : [sql`<`, sql`desc`];
  const { rows } = await sql<{ id: number; place: number }>`
    select id, ${column} as place from ${sql.table(table)}
    where id <> ${id} and (id = ${beside} or (${column}, id) ${sign}
      (select t.${column}, t.id from ${sql.table(table)} as t where t.id = ${beside}))
    order by ${column} ${direction}, id ${direction} limit 2`.execute(db);
  const [one, next] = rows;
  if (!one || Number(one.id) !== beside) return undefined;
  const at = Number(one.place);
  if (!next) return at + (forward ? apart : -apart);
  const middle = Math.floor((at + Number(next.place)) / 2);
  return middle > Math.min(at, Number(next.place)) ? middle : "dense";
}

/** Moves records around one apart, as few of them as it takes. */
async function spread(db: Kysely<AnyTables>, { table }: Entity, around: number): Promise<void> {
  const column = sql.ref(handColumn);
  const side = async (forward: boolean, most: number) => {
    const [sign, direction] = forward ? [sql`>=`, sql`asc`] : [sql`<`, sql`desc`];
    const { rows } = await sql<{ id: number; place: number }>`
      select id, ${column} as place from ${sql.table(table)}
      where (${column}, id) ${sign} (select t.${column}, t.id from ${sql.table(table)} as t where t.id = ${around})
      order by ${column} ${direction}, id ${direction} limit ${sql.lit(most)}`.execute(db);
    return rows.map((row) => ({ id: Number(row.id), place: Number(row.place) }));
  };
  for (let most = 32; ; most *= 4) {
    const before = (await side(false, most)).reverse();
    const behind = await side(true, most);
    const some = [...before, ...behind];
    // At the ends of the list there is all the room that is needed.
    const first = before.length < most ? undefined : some[0]?.place;
    const last = behind.length < most ? undefined : some.at(-1)?.place;
    const from = first ?? (last ?? 0) - some.length * apart;
    const to = last ?? from + some.length * apart;
    const step = Math.floor((to - from) / Math.max(1, some.length - 1));
    if (step < 4) continue;
    for (const [at, { id }] of some.entries()) {
      await db
        .updateTable(table)
        .set({ [handColumn]: from + at * step })
        .where("id", "=", id)
        .execute();
    }
    return;
  }
}
