import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { type Entity, isReference } from "../entity/entity.ts";

/** The references by which a record is above itself, on whatever way: it is no tree then. */
export async function circlesOf(asking: Scope, entity: Entity, id: number): Promise<string[]> {
  const scope = asking.seeingAll();
  const circles: string[] = [];
  for (const column of treesOf(entity)) {
    const rows = scope.rowsOf(entity);
    const found = await sql`
      with recursive above (id) as (
        select ${sql.ref(`s.${column}`)} from ${rows} as s where s.id = ${id}
        union
        select ${sql.ref(`t.${column}`)} from ${rows} as t join above on above.id = t.id
      )
      select 1 as found from above where id = ${id}`.execute(scope.db);
    if (found.rows.length > 0) circles.push(column);
  }
  return circles;
}

/** The references that name the record above one of the same entity. Pairs are no tree: there each is the only one. */
function treesOf({ table, inputs }: Entity): string[] {
  return Object.entries(inputs)
    .filter(([, field]) => isReference(field) && field.to === table)
    .filter(([, field]) => !field.required && !(isReference(field) && field.single))
    .map(([column]) => column);
}
