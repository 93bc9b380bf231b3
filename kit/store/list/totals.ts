import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { conditions, where } from "./conditions.ts";
import { columnValue } from "./filters.ts";
import type { ListRequest } from "./request.ts";

/** What the rows of a list come to in a column of numbers. */
export interface Totals {
  /** Undefined where sums mean nothing, as of percents. */
  sum: number | undefined;
  average: number;
  smallest: number;
  largest: number;
}

/** Whether the numbers of a field are added up; percents aren't. */
export function isAddedUp({ kind }: Pick<Field, "kind">): boolean {
  return kind !== "percent";
}

/** What all rows of a list come to, in those of some columns that hold numbers and aren't blank throughout. */
export async function totalsOf(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  columns: readonly string[],
): Promise<ReadonlyMap<string, Totals>> {
  const names = columns.filter((name) => {
    const field = entity.fields[name];
    return field && typeOf(field).numeric && !scope.isHidden(entity, name);
  });
  if (names.length === 0) return new Map();
  const selected = names.flatMap((name, at): RawBuilder<unknown>[] => {
    const value = columnValue(scope, entity, name, entity.fields[name] as Field);
    return ["sum", "avg", "min", "max"].map(
      (operation) => sql`${sql.raw(operation)}(${value}) as ${sql.id(`${operation}${at}`)}`,
    );
  });
  const { rows } = await sql<Record<string, number | string | null>>`
    select ${sql.join(selected)} from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
    ${where(await conditions(scope, entity, request))}`.execute(scope.db);
  const row = rows[0] ?? {};
  return new Map(
    names.flatMap((name, at) => {
      const of = (operation: string) => exact(row[`${operation}${at}`]);
      if (row[`min${at}`] === null || row[`min${at}`] === undefined) return [];
      const sum = isAddedUp(entity.fields[name] as Field) ? of("sum") : undefined;
      return [[name, { sum, average: of("avg"), smallest: of("min"), largest: of("max") }]];
    }),
  );
}

/** A number without what adding up in binary left behind its fifteenth digit. */
export function exact(value: number | string | null | undefined): number {
  return Number(Number(value ?? 0).toPrecision(15));
}
