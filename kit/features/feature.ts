import type { Context } from "hono";
import type { Action } from "../access/action.ts";
import type { Scope } from "../access/scope.ts";
import type { Entity, InputOf, Row, RowOf } from "../entity/entity.ts";
import { recordId } from "../entity/links.ts";
import type { PageLink } from "../entity/page-link.ts";
import type { Registered } from "../entity/registry.ts";
import type { Rules } from "../entity/rules.ts";
import { findAnyRow } from "../store/select.ts";

/**
 * What somebody has to be allowed: to do something with the records of an entity, to be signed in, to manage the others
 * who are, to run the application for all of its organisations; or nothing.
 */
export type Needs =
  | { action: Action; entity: Entity }
  | "person"
  | "administrator"
  | "operator"
  | "nothing";

/** An address of the application, and what somebody has to be allowed to do there. */
export interface Route {
  method: "GET" | "POST" | "PUT" | "PATCH" | "DELETE";
  path: string;
  needs: Needs;
  /** The most bytes that a request may carry; as many as a form without files, if nothing is said. */
  bytes?: number;
  /** Whether its page shows records; those that need an action do, if nothing is said. */
  records?: boolean;
  answer(c: Context, scope: Scope): Response | Promise<Response>;
}

/** Something that an application can do: its routes, which `mount` makes reachable, and the links to them. */
export interface Feature {
  routes: readonly Route[];
  links?: readonly PageLink[];
  /** The columns that the records of its entity have in tables, as `Columns` has them. */
  columns?: readonly unknown[];
}

/** An entity with its rules and what the application can do with it. */
export interface EntityFeatures extends Registered {
  features: readonly Feature[];
}

/** Puts together what belongs to an entity. */
export function features<Known extends Entity, Tables>(
  entity: Known,
  rules: Rules<Tables, RowOf<Known>, InputOf<Known>>,
  its: readonly Feature[],
): EntityFeatures {
  const links = its.flatMap((feature) => feature.links ?? []);
  const columns = its.flatMap((feature) => feature.columns ?? []);
  return { entity: entity as unknown as Entity, rules, features: its, links, columns };
}

/** The end of an address that names a record: `/hives/12-b-07`. */
export const recordPart = ":record{[0-9][^/]*}";

/** The record that the address of a request names; undefined where there is none in sight. */
export async function askedRecord(
  c: Context,
  scope: Scope,
  entity: Entity,
): Promise<Row | undefined> {
  const id = recordId(c.req.param("record") ?? "");
  return id === undefined ? undefined : findAnyRow(scope, entity, id);
}
