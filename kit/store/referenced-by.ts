import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { type Entity, isReference } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import type { Referrer } from "../entity/registry.ts";
import { byTitle, displayTitle } from "./order.ts";
import { titleOf } from "./titles.ts";

/** Records of one entity that refer to a record. */
export interface ReferencingRecords {
  /** What they are, for one and for several: `inspection`, `inspections`. */
  one: string;
  many: string;
  count: number;
  /** The first of them that are in sight. */
  first: Link[];
  /** They are parts of the record and are deleted with it; otherwise they block its deletion. */
  cascades: boolean;
}

/** The records in sight that refer to a record, field by field; fields with none are left out. */
export async function referencedBy(
  scope: Scope,
  entity: Entity,
  id: number,
): Promise<ReferencingRecords[]> {
  const found: ReferencingRecords[] = [];
  for (const referrer of scope.entities.referrersOf(entity)) {
    const { table, path: pagePath } = referrer.entity;
    const { rows } = await sql<Link & { total: number }>`
      select ${sql.ref(`${table}.id`)}, ${titleOf(scope, referrer.entity, table)} as ${displayTitle}, count(*) over () as total
      from ${scope.rowsOf(referrer.entity)} as ${sql.table(table)} where ${refersTo(scope, referrer, id)} order by ${byTitle} limit 5`.execute(
      scope.db,
    );
    const [first] = rows;
    if (!first) continue;
    const { one, many } = scope.namesOf(referrer.entity);
    const cascades = isReference(referrer.field) && referrer.field.part === true;
    const links = rows.map((row) => ({ id: row.id, displayTitle: row.displayTitle, pagePath }));
    found.push({ one, many, cascades, count: Number(first.total), first: links });
  }
  return found;
}

function refersTo(
  scope: Scope,
  { entity: { table }, name, field }: Referrer,
  id: number,
): RawBuilder<unknown> {
  if (isReference(field)) return sql`${sql.ref(`${table}.${name}`)} = ${id}`;
  const { table: links, from, to } = field.through;
  return sql`${sql.ref(`${table}.id`)} in (select ${sql.ref(from)} from ${scope.rows(links)} as links where ${sql.ref(to)} = ${id})`;
}

/** How many parts are deleted with a record, as a form tells it. */
export function partsOf(references: readonly ReferencingRecords[]): string {
  return String(references.reduce((sum, { cascades, count }) => sum + (cascades ? count : 0), 0));
}
