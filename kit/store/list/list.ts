import { allowedAmong } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, RowOf } from "../../entity/entity.ts";
import { completed } from "../select.ts";
import { conditions, countRows } from "./conditions.ts";
import { filterParameter } from "./filters.ts";
import { type Grouping, groupedKeys } from "./groups.ts";
import { orderKeys } from "./order.ts";
import { rowsInRange } from "./picking.ts";
import { type ListRequest, listRequest } from "./request.ts";
import type { Totals } from "./totals.ts";

/** One page of a list. */
export interface ListPage<Known extends Entity = Entity> {
  scope: Scope;
  entity: Known;
  rows: RowOf<Known>[];
  /** The numbers of those that the person may change, where the page leads to their forms. */
  changeable?: ReadonlySet<number>;
  /** How many rows there are on all pages. */
  total: number;
  page: number;
  pages: number;
  request: ListRequest;
  /** The order in force, as in the address. */
  sort: string;
  /** Whether a filter or a search leaves rows out. */
  narrowed: boolean;
  /** What the rows of all pages come to, by columns of numbers, where that is asked for. */
  totals?: ReadonlyMap<string, Totals>;
  /** The field by which rows are grouped, and the groups of the page. */
  grouping?: Grouping;
}

/** What gives the first page of the records that have one in a field: the hives of an apiary. */
export function relatedBy<Known extends Entity>(
  entity: Known,
  field: keyof Known["fields"] & string,
): (scope: Scope, id: number) => Promise<ListPage<Known>> {
  return async (scope, id) => {
    const known = entity as unknown as Entity;
    // Where somebody doesn't see the field, there is no filter by it: nothing is related.
    const query = new URLSearchParams({ [filterParameter(field)]: String(id) });
    const request = listRequest(query);
    const page = scope.isHidden(known, field)
      ? emptyPage(scope, entity, request)
      : await listPage(scope, entity, request);
    const ids = page.rows.map((row) => row.id);
    return { ...page, changeable: await allowedAmong(scope, "change", known, ids) };
  };
}

/** One page of the rows of an entity that are in sight, and how many there are in all. */
export async function listPage<Known extends Entity>(
  scope: Scope,
  entity: Known,
  request: ListRequest,
): Promise<ListPage<Known>> {
  const wanted = conditions(scope, entity, request);
  const total = await countRows(scope, entity, wanted);
  const { size } = request;
  const pages = Math.max(1, Math.ceil(total / size));
  const page = Math.min(request.page, pages);
  const keys = orderKeys(entity, request.sort);
  const first = (page - 1) * size;
  const range = { from: first, to: Math.min(first + size, total) };
  const rows =
    total > 0
      ? await rowsInRange(scope, entity, {
          keys: groupedKeys(scope, entity as unknown as Entity, request),
          wanted,
          total,
          range,
        })
      : [];
  return {
    scope,
    entity,
    rows: await completed(scope, entity, rows),
    total,
    page,
    pages,
    request,
    sort: keys[0] ?? "",
    narrowed: wanted.length > 0,
  };
}

function emptyPage<Known extends Entity>(
  scope: Scope,
  entity: Known,
  request: ListRequest,
): ListPage<Known> {
  return {
    scope,
    entity,
    rows: [],
    total: 0,
    page: 1,
    pages: 1,
    request,
    sort: "",
    narrowed: true,
  };
}
