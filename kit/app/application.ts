import { type Context, Hono } from "hono";
import type { Kysely } from "kysely";
import type { Person } from "../access/person.ts";
import { type AnyTables, everything, type Policy, Scope, type Settings } from "../access/scope.ts";
import { Registry } from "../entity/registry.ts";
import type { EntityFeatures } from "../features/feature.ts";
import { limitedBody } from "../http/body-limit.ts";
import { protectiveHeaders } from "../http/headers.ts";
import { knownHosts } from "../http/hosts.ts";
import { sameOrigin } from "../http/origin.ts";
import { plainAddress } from "../http/plain-address.ts";
import { assets } from "./assets.ts";
import { development } from "./development.ts";
import { failed, notFound } from "./errors.tsx";
import { home } from "./home.tsx";
import { type Environment, mount } from "./mount.ts";

/** What an application is made of. */
export interface Application<Tables> extends More {
  db: Kysely<Tables>;
  settings: Settings;
  entities: readonly EntityFeatures[];
}

/** What an application can do without. */
export interface More {
  /** Who may do what; everybody everything, without one. */
  policy?: Policy;
  /** Who sends a request; nobody is known, without it. */
  personOf?(c: Context): Person | undefined | Promise<Person | undefined>;
}

/** A web application over a database: its protections, its pages, and what it answers when something goes wrong. */
export function application<Tables>(made: Application<Tables>): Hono<Environment> {
  const app = new Hono<Environment>();
  const scopeFor = scopes(made);
  app.use(knownHosts(), protectiveHeaders(), sameOrigin(), limitedBody());
  app.use(async (c, next) => {
    c.set("scope", scopeFor(await made.personOf?.(c)));
    return next();
  });
  mount(app, [
    ...assets.routes,
    ...development().routes,
    ...home.routes,
    ...made.entities.flatMap(({ features }) => features.flatMap(({ routes }) => routes)),
  ]);
  const scopeOf = (c: Context<Environment>) => c.get("scope") ?? scopeFor(undefined);
  app.notFound((c) => {
    const plain = c.req.method === "GET" ? plainAddress(c) : undefined;
    return plain ? c.redirect(plain, 301) : notFound(c, scopeOf(c));
  });
  app.onError((error, c) => failed(c, scopeOf(c), error));
  return app;
}

/** Makes the scope of each request. */
export function scopes<Tables>({
  db,
  settings,
  entities,
  policy = everything,
}: Application<Tables>) {
  const registry = new Registry(entities);
  const tables = db as unknown as Kysely<AnyTables>;
  return (person: Person | undefined) =>
    new Scope({ db: tables, settings, entities: registry, policy, person });
}
