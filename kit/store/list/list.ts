import type { Scope } from "../../access/scope.ts";
import { aboutRows, inBackground } from "../../database/current-dialect.ts";
import type { Entity, Highlight, Row, RowOf } from "../../entity/entity.ts";
import { archiveChoice, archiveConditions } from "../archive.ts";
import { completed } from "../select.ts";
import { type Condition, conditions, countRows, mostCounted } from "./conditions.ts";
import { type Grouping, groupedKeys } from "./groups.ts";
import { orderKeys } from "./order.ts";
import { farPager, numberedPager, type PagerLinks } from "./pager.ts";
import { rowsAt } from "./picking.ts";
import type { ListRequest } from "./request.ts";
import type { Totals } from "./totals.ts";

/** One page of a list. */
export interface ListPage<Known extends Entity = Entity> {
  scope: Scope;
  entity: Known;
  rows: RowOf<Known>[];
  /** The numbers of those that the person may change, where the page leads to their forms. */
  changeable?: ReadonlySet<number>;
  total: Total;
  /** Where the page is among others. */
  pager: PagerLinks;
  request: ListRequest;
  /** The order in force, as in the address. */
  sort: string;
  /** Whether a filter or a search leaves rows out. */
  narrowed: boolean;
  /** What the rows of all pages come to, by columns of numbers, where that is asked for. */
  totals?: ReadonlyMap<string, Totals>;
  /** The rows that stand out. */
  highlights?: ReadonlyMap<number, Highlight>;
  /** The field by which rows are grouped, and the groups of the page. */
  grouping?: Grouping;
  /** By what the address of a page with several lists speaks of this one: `visits.page=2`. */
  part?: string;
  /** What belongs to the rows that are open, by their numbers; undefined where nothing can belong to any. */
  below?: ReadonlyMap<number, readonly Below[]>;
}

/** Records of another entity that belong to a row, and the field in which they have it. */
export interface Below {
  page: ListPage;
  field: string;
}

/** How many rows there are on all pages: counted up to a bound, unless all are asked for. */
export interface Total {
  count: number;
  /** Whether there are more than that. */
  more: boolean;
  /** Roughly how many there are then, where the database knows. */
  about: number | undefined;
}

/** One page of the rows of an entity that are in sight, and how many there are in all, counted up to `most`; only that, where no rows are needed. */
export async function listPage<Known extends Entity>(
  asked: Scope,
  entity: Known,
  request: ListRequest,
  { withRows = true, most = mostCounted }: { withRows?: boolean; most?: number } = {},
): Promise<ListPage<Known>> {
  const known = entity as unknown as Entity;
  // What somebody's own formula takes, nobody knows before.
  const mayBeLong = request.countsAll || request.query.has("only");
  const scope = mayBeLong ? asked.within(inBackground(asked.db)) : asked;
  const wanted = await conditions(scope, known, request);
  const total = await totalOf(scope, known, request, wanted, most);
  const { size } = request;
  const keys = groupedKeys(scope, known, request);
  const given = { keys, wanted, size };
  const isSmall = total.count <= most && !total.more;
  const pages = total.more ? undefined : Math.max(1, Math.ceil(total.count / size));
  const far = withRows ? await farPage(scope, known, request, given) : noRows;
  const number = isSmall ? Math.min(request.page, pages ?? 1) : request.page;
  const found = far ??
    (await rowsAt(scope, known, { ...given, place: { skip: (number - 1) * size } })) ?? {
      rows: [],
      more: false,
    };
  const pager =
    isSmall && !far
      ? numberedPager(number, pages ?? 1)
      : farPager(request, found, { pages, number: far ? undefined : number });
  return {
    scope: asked,
    entity,
    rows: await completed(scope, entity, found.rows),
    total,
    pager,
    request,
    sort: orderKeys(scope, known, request.sort)[0] ?? "",
    narrowed: wanted.length > archiveConditions(known, archiveChoice(known, request.query)).length,
  };
}

/** The first rows that a list finds, up to some number, whatever page is asked for; and whether there are more. */
export async function firstRows(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  most: number,
): Promise<{ rows: readonly Row[]; more: boolean }> {
  const whole = { ...request, size: most, page: 1, after: undefined, before: undefined };
  const { rows, total } = await listPage(scope, entity, whole);
  return {
    rows: rows as unknown as readonly Row[],
    more: total.more || total.count > rows.length,
  };
}

async function totalOf(
  scope: Scope,
  entity: Entity,
  { countsAll }: ListRequest,
  wanted: readonly Condition[],
  most: number,
): Promise<Total> {
  if (countsAll) {
    return { count: await countRows(scope, entity, wanted), more: false, about: undefined };
  }
  const count = await countRows(scope, entity, wanted, most + 1);
  if (count <= most) return { count, more: false, about: undefined };
  const isWhole = wanted.length === 0 && scope.seesAll(entity);
  const asked = isWhole ? await aboutRows(entity.table)?.execute(scope.db) : undefined;
  const about = Number(asked?.rows[0]?.about ?? 0);
  return {
    count: most,
    more: true,
    about: about > most ? about : undefined,
  };
}

/** A page that begins or ends at a record, or at the end of the list; undefined where none is named, or it is gone. */
async function farPage(
  scope: Scope,
  entity: Entity,
  { after, before }: ListRequest,
  given: Omit<Parameters<typeof rowsAt>[2], "place">,
) {
  if (after !== undefined) return rowsAt(scope, entity, { ...given, place: { after } });
  if (before !== undefined) return rowsAt(scope, entity, { ...given, place: { before } });
  return undefined;
}

const noRows = { rows: [], more: false };
