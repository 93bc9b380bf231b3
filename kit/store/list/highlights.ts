import { sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Highlight } from "../../entity/entity.ts";

/** The rows that stand out among some, by their numbers, each with what makes it do so. */
export async function highlightsAmong(
  scope: Scope,
  entity: Entity,
  ids: readonly number[],
): Promise<ReadonlyMap<number, Highlight>> {
  const seen = entity.highlights.filter((highlight) => isSeen(scope, highlight));
  if (seen.length === 0 || ids.length === 0) return new Map();
  const id = sql.ref(`${entity.table}.id`);
  const cases = seen.map(({ holds }, at) => sql`when ${holds(scope)} then ${sql.lit(at)}`);
  const { rows } = await sql<{ id: number; place: number | null }>`
    select ${id}, case ${sql.join(cases, sql` `)} end as place
    from ${scope.rowsOf(entity)} as ${sql.table(entity.table)} where ${id} in (${sql.join([...ids])})`.execute(
    scope.db,
  );
  return new Map(
    rows.flatMap(({ id, place }): [number, Highlight][] => {
      const highlight = place === null ? undefined : seen[Number(place)];
      return highlight ? [[id, highlight]] : [];
    }),
  );
}

/** Whether the person sees all columns that a highlight looks at: it tells of them. */
function isSeen(scope: Scope, { reads = [] }: Highlight): boolean {
  return reads.every((column) => {
    const [table = "", name = ""] = column.split(".");
    const links = scope.entities.ofLinks(table);
    if (links) return !scope.isHidden(links.entity, links.name);
    const entity = scope.entities.ofTable(table);
    return !entity || !scope.isHidden(entity, name);
  });
}
