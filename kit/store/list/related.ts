import { allowedAmong } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference } from "../../entity/entity.ts";
import type { Referrer } from "../../entity/registry.ts";
import { filterParameter } from "./filters.ts";
import { type Below, type ListPage, listPage } from "./list.ts";
import { firstPage, type ListRequest, listRequest } from "./request.ts";

/** What the address of a page says of one of its lists. */
export interface RelatedQuery {
  part: string;
  /** What it says of this list, under the names that a list alone has for it. */
  query: URLSearchParams;
  /** The whole of it. */
  whole: URLSearchParams;
}

/** What of the address of a list counts for one of several on a page. */
const relatedParameters = ["search", ...Object.keys(firstPage)];

/** The parameter with the numbers of the rows that are open: `visits.open=3.7`. */
export const openParameter = "open";

/** How many rows stand below an open one, how many can be open in one list, and how many levels there are. */
const most = { below: 10, open: 20, levels: 4 } as const;

/** What an address says of one list of its page: `visits.search=mites&visits.page=2`. */
export function relatedQuery(whole: URLSearchParams, part: string): RelatedQuery {
  const own = relatedParameters.flatMap((name) => {
    const value = whole.get(`${part}.${name}`);
    return value === null ? [] : [[name, value]];
  });
  return { part, query: new URLSearchParams(own), whole };
}

/** The numbers of the rows of a list that an address has open. */
export function openRows({ part, whole }: Pick<RelatedQuery, "part" | "whole">): number[] {
  const numbers = (whole.get(`${part}.${openParameter}`) ?? "").split(".");
  return numbers
    .filter((text) => /^\d{1,15}$/.test(text))
    .map(Number)
    .slice(0, most.open);
}

/** The most records that are counted of one list on the page of a record, which doesn't wait for more. */
const mostCounted = 1000;

/** What gives the first page of the records that have one in a field: the hives of an apiary. */
export function relatedBy<Known extends Entity>(
  entity: Known,
  field: keyof Known["fields"] & string,
): (scope: Scope, id: number, asked?: RelatedQuery) => Promise<ListPage<Known>> {
  return (scope, id, asked) => relatedPage(scope, entity, field, id, { asked, level: 1 });
}

async function relatedPage<Known extends Entity>(
  scope: Scope,
  entity: Known,
  field: string,
  id: number,
  { asked, level }: { asked: RelatedQuery | undefined; level: number },
): Promise<ListPage<Known>> {
  const known = entity as unknown as Entity;
  // Where somebody doesn't see the field, there is no filter by it: nothing is related.
  const query = new URLSearchParams({
    [filterParameter(field)]: String(id),
    ...Object.fromEntries(asked?.query ?? []),
  });
  const request = listRequest(query);
  const page = scope.isHidden(known, field)
    ? emptyPage(scope, entity, request)
    : await listPage(scope, entity, level > 1 ? { ...request, size: most.below } : request, {
        most: mostCounted,
      });
  const ids = page.rows.map((row) => row.id);
  const changeable = await allowedAmong(scope, "change", known, ids);
  const below = asked && (await belowRows(scope, known, ids, { asked, level }));
  return { ...page, changeable, ...(asked && { part: asked.part }), ...(below && { below }) };
}

/** What belongs to the open ones of some rows; undefined where nothing can, or no deeper level is shown. */
async function belowRows(
  scope: Scope,
  entity: Entity,
  ids: readonly number[],
  { asked, level }: { asked: RelatedQuery; level: number },
): Promise<ReadonlyMap<number, readonly Below[]> | undefined> {
  const referrers = shownReferrers(scope, entity);
  if (referrers.length === 0 || level >= most.levels) return undefined;
  const found = new Map<number, Below[]>();
  for (const id of openRows(asked).filter((each) => ids.includes(each))) {
    const all: Below[] = [];
    for (const { entity: other, name } of referrers) {
      const own = relatedQuery(asked.whole, `${asked.part}.${id}.${other.table}.${name}`);
      const page = await relatedPage(scope, other, name, id, { asked: own, level: level + 1 });
      all.push({ page, field: name });
    }
    found.set(id, all);
  }
  return found;
}

/** The references to an entity whose records the person sees, of entities with a list. */
function shownReferrers(scope: Scope, entity: Entity): Referrer[] {
  return scope.entities
    .referrersOf(entity)
    .filter(
      ({ entity: other, name, field }) =>
        isReference(field) &&
        other !== entity &&
        scope.may("see", other) &&
        !scope.isHidden(other, name) &&
        scope.entities.columnsOf(other).length > 0,
    );
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
    total: { count: 0, more: false, about: undefined },
    pager: { page: 1, pages: 1 },
    request,
    sort: "",
    narrowed: true,
  };
}
