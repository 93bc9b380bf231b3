import { sql } from "kysely";
import { accountTables } from "../access/account-tables.ts";
import { allowedAmong } from "../access/row-rights.ts";
import type { Scope } from "../access/scope.ts";
import { type Entity, isComputed, isReferences } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import type { Differences, Held } from "./audit.ts";
import { completed, selection } from "./select.ts";

/** A record as it was: what its fields held, by their names. */
export interface FormerRecord {
  id: number;
  title: string;
  held: Readonly<Record<string, Held>>;
}

/** The records of an entity as they were at a moment. */
export interface Former {
  records: FormerRecord[];
  /** Whether there are more records, or more changes since, than are looked at. */
  isCut: boolean;
}

const most = { records: 1000, changes: 20_000 };

/**
 * The records of an entity as they were at a moment in UTC: what is there now, with what the log says of later changes
 * taken back. Of records of which the person may not see the history, and of fields that are kept from them on some
 * records, there is nothing; of deleted ones, only where they may see the history of all.
 */
export async function asItWas(scope: Scope, entity: Entity, at: string): Promise<Former> {
  const names = Object.keys(entity.fields).filter((name) => isTold(scope, entity, name));
  const there = await recordsNow(scope, entity, names);
  const changes = await changesSince(scope, entity, at);
  const records = new Map(there.records.map((record) => [record.id, record]));
  const seesAll =
    !scope.policy.visible(scope, entity) && !scope.policy.limits?.(scope, "history", entity);
  // The last change is taken back first.
  for (const { action, record_id: id, record_title: title, details } of changes.entries) {
    if (id === null) continue;
    const known = records.get(id);
    if (action === "add") records.delete(id);
    else if (known || (action === "delete" && seesAll)) {
      const before = Object.entries(details)
        .filter(([name]) => names.includes(name))
        .map(([name, [held]]) => [name, held] as const);
      const held = { ...known?.held, ...Object.fromEntries(before) };
      records.set(id, { id, title: known?.title ?? title ?? "", held });
    }
  }
  return {
    records: [...records.values()].sort((one, other) => one.id - other.id),
    isCut: there.isCut || changes.isCut,
  };
}

function isTold(scope: Scope, entity: Entity, name: string): boolean {
  const field = entity.fields[name];
  if (!field || isComputed(field)) return false;
  return !scope.isHidden(entity, name) && !scope.unseen(entity).has(name);
}

async function recordsNow(scope: Scope, entity: Entity, names: readonly string[]): Promise<Former> {
  const table = sql.table(entity.table);
  const { rows } = await sql<Record<string, unknown>>`
    select ${selection(scope, entity)} from ${scope.rowsOf(entity)} as ${table}
    order by ${sql.ref(`${entity.table}.id`)} limit ${sql.lit(most.records + 1)}`.execute(scope.db);
  const found = await completed(scope, entity, rows.slice(0, most.records));
  const ids = found.map(({ id }) => id);
  const allowed = await allowedAmong(scope, "history", entity, ids);
  const records = found
    .filter(({ id }) => allowed.has(id))
    .map((row): FormerRecord => {
      const values = row as unknown as Readonly<Record<string, unknown>>;
      const held = names.map((name) => [name, heldNow(entity, name, values[name])] as const);
      return { id: row.id, title: row.displayTitle, held: Object.fromEntries(held) };
    });
  return { records, isCut: rows.length > most.records };
}

function heldNow(entity: Entity, name: string, value: unknown): Held {
  const field = entity.fields[name];
  return field && isReferences(field)
    ? (value as readonly Link[]).map(({ id }) => id)
    : ((value ?? null) as Held);
}

/** What was changed since, the last first. */
async function changesSince({ db, organisation }: Scope, { table }: Entity, at: string) {
  let query = accountTables(db)
    .selectFrom("levadura_change")
    .select(["action", "record_id", "record_title", "details"])
    .where("entity_table", "=", table)
    .where("made_at", ">", at);
  if (organisation !== undefined) query = query.where("organisation_id", "=", organisation);
  const found = await query
    .orderBy("id", "desc")
    .limit(most.changes + 1)
    .execute();
  return {
    isCut: found.length > most.changes,
    entries: found
      .slice(0, most.changes)
      .map((entry) => ({ ...entry, details: JSON.parse(entry.details) as Differences })),
  };
}
