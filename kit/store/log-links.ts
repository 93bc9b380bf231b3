import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { isReference, isReferences } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import type { Differences, Entry } from "./audit.ts";
import { displayTitle } from "./order.ts";
import { titleOf } from "./titles.ts";

/** The records that entries of the log speak of and that the person may see, by `linkKey`. */
export type LogLinks = ReadonlyMap<string, Link>;

export function linkKey(table: string, id: number): string {
  return `${table} ${id}`;
}

/** What an entry says of the fields of its record. */
export function differencesIn({ entity_table, details }: Entry): Differences {
  return entity_table === null ? {} : (JSON.parse(details) as Differences);
}

/** Finds those records, by one statement for each entity. */
export async function linksIn(scope: Scope, entries: readonly Entry[]): Promise<LogLinks> {
  const wanted = new Map<string, Set<number>>();
  const want = (table: string, id: unknown) => {
    if (typeof id !== "number") return;
    wanted.set(table, (wanted.get(table) ?? new Set()).add(id));
  };
  for (const entry of entries) {
    const entity =
      entry.entity_table === null ? undefined : scope.entities.ofTable(entry.entity_table);
    if (!entity) continue;
    want(entity.table, entry.record_id);
    for (const [name, sides] of Object.entries(differencesIn(entry))) {
      const field = entity.fields[name];
      if (!field || !(isReference(field) || isReferences(field))) continue;
      for (const id of sides.flat()) want(field.to, id);
    }
  }
  const links = new Map<string, Link>();
  for (const [table, ids] of wanted) {
    const entity = scope.entities.named(table);
    const { rows } = await sql<{ id: number; displayTitle: string }>`
      select ${sql.ref(`${table}.id`)}, ${titleOf(scope, entity, table)} as ${displayTitle}
      from ${scope.rowsOf(entity)} as ${sql.table(table)} where ${sql.ref(`${table}.id`)} in (${sql.join([...ids])})`.execute(
      scope.db,
    );
    for (const { id, displayTitle } of rows) {
      links.set(linkKey(table, id), { id, displayTitle, pagePath: entity.path });
    }
  }
  return links;
}
