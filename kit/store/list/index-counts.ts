import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { type Entity, isComputed, isReference, isReferences } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { type Counted, isValue } from "./counted.ts";
import { cutsOf, isWithin } from "./cuts.ts";
import { columnValue } from "./filters.ts";

/** Whether what a whole table has in a field is counted through an index. */
export function isCountedByIndex(entity: Entity, name: string, field: Field): boolean {
  const isColumn = !isComputed(field) && !isReferences(field) && !isReference(field);
  return isColumn && entity.indexed.includes(name);
}

/**
 * Counts what all rows of a table have in a field, through the index of its column: each value and each part of a range
 * for itself, which goes through the index once in all. `total` is how many rows there are.
 */
export async function countedByIndex(
  scope: Scope,
  entity: Entity,
  name: string,
  field: Field,
  total: number,
): Promise<Counted> {
  const value = columnValue(scope, entity, name, field);
  const rows = rowsIn(scope, entity);
  const ask = (columns: readonly RawBuilder<unknown>[]) => valuesOf(scope, columns);
  const count = (condition: RawBuilder<unknown>) => sql`select count(*) ${rows} where ${condition}`;
  if (typeOf(field).filter === "choices") {
    const known = field.choices ? Object.keys(field.choices) : ["yes", "no"];
    const counts = await ask(known.map((text) => count(isValue(field, value, text))));
    const values = known.map((text, at) => ({ value: text, count: Number(counts[at] ?? 0) }));
    return { values, blank: total - values.reduce((sum, each) => sum + each.count, 0) };
  }
  const [least, largest] = await endsByIndex(scope, entity, value);
  const cuts = cutsOf(scope, field, least, largest);
  if (cuts.length === 0) {
    const [blank] = await ask([count(sql`${value} is null`)]);
    return { blank: Number(blank ?? 0) };
  }
  const counts = await ask(cuts.map((cut) => count(isWithin(scope, field, value, cut))));
  const parts = cuts.map(({ from, to }, at) => ({ from, to, count: Number(counts[at] ?? 0) }));
  return { blank: total - parts.reduce((sum, part) => sum + part.count, 0), spread: { parts } };
}

/** Least and largest of what all rows of a table have in a column, through its index. */
export function endsByIndex(
  scope: Scope,
  entity: Entity,
  value: RawBuilder<unknown>,
): Promise<unknown[]> {
  const rows = rowsIn(scope, entity);
  return valuesOf(scope, [sql`select min(${value}) ${rows}`, sql`select max(${value}) ${rows}`]);
}

function rowsIn(scope: Scope, entity: Entity): RawBuilder<unknown> {
  return sql`from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}`;
}

/** What each of some statements gives, all of which are asked at once. */
async function valuesOf(
  scope: Scope,
  statements: readonly RawBuilder<unknown>[],
): Promise<unknown[]> {
  if (statements.length === 0) return [];
  const named = statements.map((statement, at) => sql`(${statement}) as ${sql.ref(`c${at}`)}`);
  const found = await sql<Record<string, unknown>>`select ${sql.join(named)}`.execute(scope.db);
  return statements.map((_, at) => found.rows[0]?.[`c${at}`]);
}
