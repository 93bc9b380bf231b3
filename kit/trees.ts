import { type Kysely, sql } from "kysely";

/** The columns by which a record is above itself, on whatever way: it is no tree then. */
export async function circlesOf<Tables>(
  db: Kysely<Tables>,
  table: string,
  id: number,
  columns: readonly string[] = [],
): Promise<string[]> {
  const circles: string[] = [];
  for (const column of columns) {
    const above = sql.ref(column);
    const { rows } = await sql`
      with recursive above (id) as (
        select ${above} from ${sql.table(table)} where id = ${id}
        union
        select ${sql.ref(`t.${column}`)} from ${sql.table(table)} as t join above on above.id = t.id
      )
      select 1 as found from above where id = ${id}`.execute(db);
    if (rows.length > 0) circles.push(column);
  }
  return circles;
}

/** What people read of such columns, by input. */
export function circleErrors(columns: readonly string[], one: string): Map<string, string> {
  return new Map(
    columns.map((column) => [column, `No ${one} can be above itself: choose another one.`]),
  );
}
