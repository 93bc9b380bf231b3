import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import type { Link } from "../entity/links.ts";
import type { Links } from "../entity/registry.ts";
import type { ReferencesField } from "../fields/field.ts";
import { byTitle, displayTitle } from "./order.ts";
import { titleOf } from "./titles.ts";

/** The records that a many-to-many field holds, for all records of a page in one statement. */
export async function linkedRecords(
  scope: Scope,
  links: Links,
  ids: readonly number[],
): Promise<Map<number, Link[]>> {
  const found = new Map<number, Link[]>(ids.map((id) => [id, []]));
  if (ids.length === 0) return found;
  const { to, through } = links.field;
  const target = scope.entities.named(to);
  const { rows } = await sql<Link & { owner: number }>`
    select ${sql.ref(`${through.table}.${through.from}`)} as owner, ${sql.ref("linked.id")}, ${titleOf(scope, target, "linked")} as ${displayTitle}
    from ${scope.linkRows(links)} as ${sql.table(through.table)} join ${scope.rowsOf(target)} as linked on ${sql.ref("linked.id")} = ${sql.ref(`${through.table}.${through.to}`)}
    where ${sql.ref(`${through.table}.${through.from}`)} in (${sql.join(ids)})
    order by ${byTitle}`.execute(scope.db);
  for (const { owner, id, displayTitle } of rows) {
    found.get(owner)?.push({ id, displayTitle, pagePath: target.path });
  }
  return found;
}

/** Makes a many-to-many field hold these records, and no others that the person may see. */
export async function replaceLinks(
  scope: Scope,
  { to: target, through: { table, from, to } }: ReferencesField,
  id: number,
  targets: readonly number[],
): Promise<void> {
  const { db, entities } = scope;
  const { rows } = await sql<{ target: number }>`
    select ${sql.ref(`${table}.${to}`)} as target
    from ${sql.table(table)} join ${scope.rowsOf(entities.named(target))} as linked on ${sql.ref("linked.id")} = ${sql.ref(`${table}.${to}`)}
    where ${sql.ref(`${table}.${from}`)} = ${id}`.execute(db);
  const there = new Set(rows.map(({ target }) => target));
  const wanted = new Set(targets);
  const gone = [...there].filter((target) => !wanted.has(target));
  for (const some of inGroups(gone)) {
    await sql`delete from ${sql.table(table)} where ${sql.ref(from)} = ${id} and ${sql.ref(to)} in (${sql.join(some)})`.execute(
      db,
    );
  }
  for (const some of inGroups([...wanted].filter((target) => !there.has(target)))) {
    const pairs = some.map((target) => sql`(${id}, ${target})`);
    await sql`insert into ${sql.table(table)} (${sql.ref(from)}, ${sql.ref(to)}) values ${sql.join(pairs)}`.execute(
      db,
    );
  }
}

/** Links that one statement adds or deletes; databases take some thousand values in one. */
const linksAtOnce = 1000;

function inGroups<Item>(items: readonly Item[]): Item[][] {
  const groups: Item[][] = [];
  for (let at = 0; at < items.length; at += linksAtOnce) {
    groups.push(items.slice(at, at + linksAtOnce));
  }
  return groups;
}
