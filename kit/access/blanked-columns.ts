import { type RawBuilder, sql } from "kysely";
import { columnsBeside } from "../database/current-dialect.ts";
import {
  automaticColumns,
  type Entity,
  handColumn,
  isComputed,
  isReference,
  isReferences,
} from "../entity/entity.ts";
import { isOrderedByLetters } from "../fields/types.ts";
import type { Withheld } from "./scope.ts";

/** The columns of an entity's table, with blanks for what the person doesn't see of each row. */
export function blankedColumns(
  { table, fields, byHand }: Entity,
  unseen: Withheld,
): RawBuilder<unknown> {
  const columns: RawBuilder<unknown>[] = [...automaticColumns, ...(byHand ? [handColumn] : [])].map(
    (name) => sql.ref(`${table}.${name}`),
  );
  for (const [name, field] of Object.entries(fields)) {
    if (isReferences(field) || isComputed(field)) continue;
    const beside = isOrderedByLetters(field) && !isReference(field) ? columnsBeside(name) : [];
    for (const column of [name, ...beside]) {
      const whole = sql.ref(`${table}.${column}`);
      if (!unseen.has(name)) columns.push(whole);
      else {
        // A condition that never holds keeps the type of the column.
        const seen = unseen.get(name) ?? sql`1 = 0`;
        columns.push(sql`case when ${seen} then ${whole} end as ${sql.ref(column)}`);
      }
    }
  }
  return sql.join(columns);
}
