import type { Context } from "hono";
import { withOwnLook } from "../../access/kept-views.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { isSameAddress } from "../../entity/links.ts";
import { type Neighbours, neighboursOf } from "../../store/list/neighbours.ts";
import { isPlace } from "../../store/list/request.ts";

/** The list in which a record is looked at, and the records around it there. */
export interface Within {
  /** What follows the `?` in the address of the list. */
  query: string;
  neighbours: Neighbours;
  /** Whether the list stands beside the record. */
  isBeside: boolean;
}

/** How many records stand beside one, before and behind it. */
const reach = 12;

/** The longest address of a list that is carried from record to record. */
const longest = 2000;

/**
 * The list from which somebody came to a record: the one that the address names, or the page on which they followed a link.
 * Undefined where they came from elsewhere.
 */
export async function withinOf(
  c: Context,
  scope: Scope,
  entity: Entity,
  id: number,
): Promise<Within | undefined> {
  const isBeside = c.req.query("beside") === "yes";
  const query = c.req.query("within") ?? (isBeside ? "" : listBefore(c, entity));
  if (query === undefined || query.length > longest) return undefined;
  const asked = new URLSearchParams(query);
  if ((asked.get("layout") ?? "") === "report") return undefined;
  const whole = await withOwnLook(scope, entity, asked);
  const neighbours = await neighboursOf(scope, entity, whole, id, isBeside ? reach : 1);
  return neighbours && { query, neighbours, isBeside };
}

/** The query of the list that the request comes from. */
function listBefore(c: Context, entity: Entity): string | undefined {
  const referrer = c.req.header("referer") ?? "";
  const from = URL.canParse(referrer) ? new URL(referrer) : undefined;
  if (!from || from.host !== c.req.header("host")) return undefined;
  if (!isSameAddress(from.pathname, encodeURI(entity.path))) return undefined;
  const kept = [...from.searchParams].filter(([name]) => !isPlace(name));
  return new URLSearchParams(kept).toString();
}
