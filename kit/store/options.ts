import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { whoSignsIn } from "../access/who-signs-in.ts";
import { type Entity, isReference, isReferences } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import type { Options, Typed } from "../entity/typed.ts";
import { archiveConditions } from "./archive.ts";
import { where } from "./list/conditions.ts";
import { mostOptions } from "./most-options.ts";
import { byTitle, displayTitle } from "./order.ts";
import { titleOf } from "./titles.ts";

/** What the lookups of a form offer; what is chosen in them is always among it. */
export async function optionsOf(scope: Scope, entity: Entity, values: Typed): Promise<Options> {
  const options: Record<string, readonly Link[]> = {};
  for (const [name, field] of Object.entries(entity.inputs)) {
    if (!isReference(field) && !isReferences(field)) continue;
    const chosen = (values.get(name) ?? []).filter((id) => /^\d{1,15}$/.test(id)).map(Number);
    const among = isReference(field) && field.signsIn ? whoSignsIn(scope) : undefined;
    options[name] = await linksOf(scope, scope.entities.named(field.to), chosen, among);
  }
  return options;
}

/**
 * The records of an entity as links, by title; only those whose numbers a subquery gives, where there is one. Those that
 * are chosen are always among them.
 */
export async function linksOf(
  scope: Scope,
  entity: Entity,
  chosen: readonly number[],
  among?: RawBuilder<unknown>,
): Promise<Link[]> {
  const { table, path: pagePath } = entity;
  const select = sql`select ${sql.ref(`${table}.id`)}, ${titleOf(scope, entity, table)} as ${displayTitle} from ${scope.rowsOf(entity)} as ${sql.table(table)}`;
  const limits = [
    ...archiveConditions(entity),
    ...(among ? [sql`${sql.ref(`${table}.id`)} in ${among}`] : []),
  ];
  const offer = sql`${select} ${where(limits)}`;
  const first = await sql<Link>`${offer} order by ${byTitle} limit ${sql.lit(mostOptions)}`.execute(
    scope.db,
  );
  const rows = first.rows.map((row) => ({ ...row, pagePath }));
  const isAll = limits.length === 0 && rows.length < mostOptions;
  if (isAll || chosen.length === 0) return rows;
  const offered = new Set(rows.map(({ id }) => id));
  const others = chosen.filter((id) => !offered.has(id));
  if (others.length === 0) return rows;
  const more =
    await sql<Link>`${select} where ${sql.ref(`${table}.id`)} in (${sql.join(others)}) order by ${byTitle}`.execute(
      scope.db,
    );
  return [...more.rows.map((row) => ({ ...row, pagePath })), ...rows];
}
