import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { whoSignsIn } from "../access/who-signs-in.ts";
import { type Entity, isReference, isReferences } from "../entity/entity.ts";
import { archiveConditions } from "./archive.ts";
import { longestSearch } from "./list/request.ts";
import { titleMatches } from "./list/search.ts";
import { byTitle, displayTitle } from "./order.ts";
import { titleOf } from "./titles.ts";

/** How many records are offered at once. */
const mostOffered = 12;

/** A record that can be chosen. */
export interface Offer {
  id: number;
  title: string;
}

/** The first records by title that a reference can be set to and whose titles have some words; none for other fields. */
export async function offersOf(
  scope: Scope,
  entity: Entity,
  name: string,
  words: string,
): Promise<Offer[]> {
  const field = Object.hasOwn(entity.inputs, name) ? entity.inputs[name] : undefined;
  if (!field || scope.isHidden(entity, name)) return [];
  if (!isReference(field) && !isReferences(field)) return [];
  const target = scope.entities.named(field.to);
  if (!scope.may("see", target)) return [];
  const { table } = target;
  const conditions = [
    ...archiveConditions(target),
    ...(await titleMatches(scope, target, words.replaceAll("\0", "").slice(0, longestSearch))),
    ...(isReference(field) && field.signsIn
      ? [sql`${sql.ref(`${table}.id`)} in ${whoSignsIn(scope)}`]
      : []),
  ];
  const where = conditions.length > 0 ? sql`where ${sql.join(conditions, sql` and `)}` : sql``;
  const { rows } = await sql<{ id: number; displayTitle: string }>`
    select ${sql.ref(`${table}.id`)}, ${titleOf(scope, target, table)} as ${displayTitle}
    from ${scope.rowsOf(target)} as ${sql.table(table)} ${where}
    order by ${byTitle} limit ${sql.lit(mostOffered)}`.execute(scope.db);
  return rows.map((row) => ({ id: row.id, title: row.displayTitle }));
}
