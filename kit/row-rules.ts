import { type Kysely, type RawBuilder, sql } from "kysely";

/** A rule for every record of a kind. */
export interface RowRule {
  holds(): RawBuilder<unknown>;
  /** The check of the table that says the same, and may refuse the record first. */
  check?: string;
  /** The message when it is violated. */
  sentence: string;
  /** The input beside which they read it; blank for above the form. */
  about: string;
}

/** The rules that a record violates, as it is in its table. */
export async function brokenRowRules<Tables>(
  db: Kysely<Tables>,
  table: string,
  id: number,
  rowRules: readonly RowRule[],
): Promise<RowRule[]> {
  if (rowRules.length === 0) return [];
  const asked = rowRules.map(({ holds }, at) => sql`${holds()} as ${sql.ref(`c${at}`)}`);
  const { rows } = await sql<
    Record<string, unknown>
  >`select ${sql.join(asked)} from ${sql.table(table)} where ${sql.ref(`${table}.id`)} = ${id}`.execute(
    db,
  );
  const [found] = rows;
  return rowRules.filter((_, at) => found && !found[`c${at}`]);
}

/** The sentences of broken rules, by input. */
export function errorsOf(rowRules: readonly RowRule[]): Map<string, string> {
  const errors = new Map<string, string>();
  for (const { about, sentence } of rowRules) {
    errors.set(about, [errors.get(about), sentence].filter(Boolean).join(" "));
  }
  return errors;
}
