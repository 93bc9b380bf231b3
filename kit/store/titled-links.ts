import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import { where } from "./list/conditions.ts";
import { byTitle, displayTitle } from "./order.ts";
import { titleOf } from "./titles.ts";

/** The records in sight that meet some conditions, as links: by title, and no more than `most`, where that is given. */
export async function titledLinks(
  scope: Scope,
  entity: Entity,
  conditions: readonly RawBuilder<unknown>[],
  { most, order = byTitle }: { most?: number; order?: RawBuilder<unknown> } = {},
): Promise<Link[]> {
  const { table, path: pagePath } = entity;
  const limit = most === undefined ? sql`` : sql`limit ${sql.lit(most)}`;
  const { rows } = await sql<Omit<Link, "pagePath">>`
    select ${sql.ref(`${table}.id`)}, ${titleOf(scope, entity, table)} as ${displayTitle}
    from ${scope.rowsOf(entity)} as ${sql.table(table)} ${where(conditions)} order by ${order} ${limit}`.execute(
    scope.db,
  );
  return rows.map((row) => ({ ...row, pagePath }));
}
