import { type Kysely, type RawBuilder, sql } from "kysely";

/** What has to hold for every record of a kind. */
export interface RowRule {
  holds(): RawBuilder<unknown>;
  /** The check of the table that says the same, and may refuse the record first. */
  check?: string;
  /** What people read where it doesn't. */
  sentence: string;
  /** The input beside which they read it; blank for above the form. */
  about: string;
}

/** The conditions that a record violates, as it is in its table. */
export async function brokenRowRules<Tables>(
  db: Kysely<Tables>,
  table: string,
  id: number,
  conditions: readonly RowRule[],
): Promise<RowRule[]> {
  if (conditions.length === 0) return [];
  const asked = conditions.map(({ holds }, at) => sql`${holds()} as ${sql.ref(`c${at}`)}`);
  const { rows } = await sql<
    Record<string, unknown>
  >`select ${sql.join(asked)} from ${sql.table(table)} where ${sql.ref(`${table}.id`)} = ${id}`.execute(
    db,
  );
  const [found] = rows;
  return conditions.filter((_, at) => found && !found[`c${at}`]);
}

/** What people read where conditions don't hold, by input. */
export function errorsOf(conditions: readonly RowRule[]): Map<string, string> {
  const errors = new Map<string, string>();
  for (const { about, sentence } of conditions) {
    errors.set(about, [errors.get(about), sentence].filter(Boolean).join(" "));
  }
  return errors;
}
