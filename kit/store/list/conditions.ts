import { type AliasableExpression, type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { archiveChoice, archiveConditions } from "../archive.ts";
import { runCompiled } from "../compiled.ts";
import { alongFilters } from "./along.ts";
import { filtersOf } from "./filters.ts";
import { onlyIn } from "./only.ts";
import type { ListRequest } from "./request.ts";
import { searchConditions } from "./search.ts";

export type Condition = AliasableExpression<SqlBool>;

/** The conditions that the rows of a list meet: all words of the search, all filters, but those of one
 * field if it is named. */
export async function conditions(
  scope: Scope,
  entity: Entity,
  request: Pick<ListRequest, "search" | "query">,
  but?: string,
): Promise<Condition[]> {
  return [
    ...archiveConditions(entity, archiveChoice(entity, request.query)),
    ...(await searchConditions(scope, entity, request.search)),
    ...filtersOf(scope, entity, request.query)
      .filter(({ field }) => field !== but)
      .flatMap((filter) => filter.conditions),
    ...alongFilters(scope, entity, request.query).map(
      ({ condition }) => condition as unknown as Condition,
    ),
    ...onlyConditions(scope, entity, request.query),
  ];
}

/** A formula that can't be read keeps no rows: what is done with all rows of the list isn't done with more than was meant. */
function onlyConditions(scope: Scope, entity: Entity, query: URLSearchParams): Condition[] {
  const only = onlyIn(scope, entity, query);
  if (!only) return [];
  const condition = "value" in only.found ? only.found.value : sql`1 = 0`;
  return [condition as unknown as Condition];
}

export function where(conditions: readonly (RawBuilder<unknown> | Condition)[]) {
  return conditions.length > 0 ? sql`where ${sql.join([...conditions], sql` and `)}` : sql``;
}

/** How many rows are counted for each page of a list; of longer ones, pages begin behind a record. */
export const mostCounted = 10_000;

/** How many rows in sight meet some conditions; counted no further than `most`, where that is given. */
export async function countRows(
  scope: Scope,
  entity: Entity,
  wanted: readonly Condition[],
  most?: number,
): Promise<number> {
  const made = () => {
    const rows = sql`${scope.rowsOf(entity)} as ${sql.table(entity.table)} ${where(wanted)}`;
    return most === undefined
      ? sql<{ total: number }>`select count(*) as total from ${rows}`
      : sql<{ total: number }>`
        select count(*) as total from (select 1 as found from ${rows} limit ${sql.lit(most)}) as counted`;
  };
  const rows =
    wanted.length > 0
      ? (await made().execute(scope.db)).rows
      : await runCompiled(scope, entity, { key: `count ${most}`, values: [], made });
  return Number(rows[0]?.total ?? 0);
}
