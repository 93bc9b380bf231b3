import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import type { Link } from "../../entity/links.ts";
import { completed } from "../select.ts";
import { conditions } from "./conditions.ts";
import { groupedKeys } from "./groups.ts";
import { type Place, rowsAt } from "./picking.ts";
import { listRequest } from "./request.ts";

/** The records around one in a list; those that are missing are the record itself, or not there. */
export interface Neighbours {
  first?: Link;
  previous?: Link;
  next?: Link;
  last?: Link;
  /** Those just before and behind it, in the order of the list. */
  before: readonly Link[];
  behind: readonly Link[];
}

/**
 * The records around one, with the filters and the order of a list. One that the filters leave out is where it would be: it may
 * just have been changed. Undefined where it is gone.
 */
export async function neighboursOf(
  scope: Scope,
  entity: Entity,
  query: URLSearchParams,
  id: number,
  /** How many are found before and behind it. */
  reach = 1,
): Promise<Neighbours | undefined> {
  const request = listRequest(query);
  const wanted = await conditions(scope, entity, request);
  const keys = groupedKeys(scope, entity, request);
  const at = async (place: Place, size = 1): Promise<Link[] | undefined> => {
    const found = await rowsAt(scope, entity, { keys, wanted, size, place });
    return found && ((await completed(scope, entity, found.rows)) as unknown as Link[]);
  };
  const behind = await at({ after: id }, reach);
  if (!behind) return undefined;
  const [next] = behind;
  const before = (await at({ before: id }, reach)) ?? [];
  const previous = before.at(-1);
  const [first] = previous ? ((await at({ skip: 0 })) ?? []) : [];
  const [last] = next ? ((await at({ before: "end" })) ?? []) : [];
  return {
    before,
    behind,
    ...(first && { first }),
    ...(previous && { previous }),
    ...(next && { next }),
    ...(last && { last }),
  };
}
