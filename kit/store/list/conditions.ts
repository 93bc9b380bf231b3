import { type AliasableExpression, type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { runCompiled } from "../compiled.ts";
import { filtersOf } from "./filters.ts";
import type { ListRequest } from "./request.ts";
import { searchConditions } from "./search.ts";

export type Condition = AliasableExpression<SqlBool>;

/** The conditions that the rows of a list meet: all words of the search, all filters, but those of one field if it is named. */
export function conditions(
  scope: Scope,
  entity: Entity,
  request: Pick<ListRequest, "search" | "query">,
  but?: string,
): Condition[] {
  return [
    ...searchConditions(scope, entity, request.search),
    ...filtersOf(scope, entity, request.query)
      .filter(({ field }) => field !== but)
      .flatMap((filter) => filter.conditions),
  ];
}

export function where(conditions: readonly RawBuilder<unknown>[] | readonly Condition[]) {
  return conditions.length > 0 ? sql`where ${sql.join([...conditions], sql` and `)}` : sql``;
}

/** How many rows in sight meet some conditions. */
export async function countRows(
  scope: Scope,
  entity: Entity,
  wanted: readonly Condition[],
): Promise<number> {
  const made = () =>
    sql<{ total: number }>`
      select count(*) as total from ${scope.rowsOf(entity)} as ${sql.table(entity.table)} ${where(wanted)}`;
  const rows =
    wanted.length > 0
      ? (await made().execute(scope.db)).rows
      : await runCompiled(scope, entity, { key: "count", values: [], made });
  return Number(rows[0]?.total ?? 0);
}
