import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import { archiveConditions } from "./archive.ts";
import { where } from "./list/conditions.ts";

/** The most rows of one entity that are counted: whoever opens the start page waits for them. */
export const mostCounted = 100_000;

/** How many rows of some entities are in sight, by table, in one statement; one more than are counted stands for more. */
export async function countsOf(
  scope: Scope,
  entities: readonly Entity[],
): Promise<Map<string, number>> {
  if (entities.length === 0) return new Map();
  const counts = entities.map(
    (entity) =>
      sql`select ${sql.lit(entity.table)} as name, count(*) as total from (select 1 as one from ${scope.rowsOf(entity)} as counted ${where(archiveConditions(entity, "in use", "counted"))} limit ${sql.lit(mostCounted + 1)}) as some_rows`,
  );
  const { rows } = await sql<{
    name: string;
    total: number;
  }>`${sql.join(counts, sql` union all `)}`.execute(scope.db);
  return new Map(rows.map(({ name, total }) => [name, Number(total)]));
}
