import { sql } from "kysely";
import type { Entity } from "../entity/entity.ts";
import type { Action } from "./action.ts";
import type { Narrowing } from "./person.ts";
import type { Policy } from "./scope.ts";

/** A policy of which only some actions with some entities are left. */
export function narrowed(policy: Policy, may: Narrowing): Policy {
  const isLeft = (action: Action, { table }: Entity) =>
    Object.hasOwn(may, table) && may[table]?.includes(action) === true;
  return {
    ...policy,
    may: (scope, action, entity) => isLeft(action, entity) && policy.may(scope, action, entity),
    visible: (scope, entity) =>
      isLeft("see", entity) ? policy.visible(scope, entity) : sql`1 = 0`,
    limits: (scope, action, entity) =>
      isLeft(action, entity) ? policy.limits?.(scope, action, entity) : sql`1 = 0`,
  };
}
