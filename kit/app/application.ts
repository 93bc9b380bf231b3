import { type Context, Hono } from "hono";
import type { Kysely } from "kysely";
import type { Access } from "../access/access.ts";
import { accountTables } from "../access/accounts.ts";
import { log } from "../access/log.tsx";
import { ownAccount } from "../access/own-account.tsx";
import { people } from "../access/people.tsx";
import type { Person } from "../access/person.ts";
import { policyOf } from "../access/rights.ts";
import {
  type AnyTables,
  everything,
  Forbidden,
  type Policy,
  Scope,
  type Settings,
} from "../access/scope.ts";
import { personOf } from "../access/sessions.ts";
import { signIn } from "../access/sign-in.tsx";
import { Registry } from "../entity/registry.ts";
import type { EntityFeatures } from "../features/feature.ts";
import { limitedBody } from "../http/body-limit.ts";
import { clientAddress } from "../http/client-address.ts";
import { protectiveHeaders } from "../http/headers.ts";
import { knownHosts } from "../http/hosts.ts";
import { sameOrigin } from "../http/origin.ts";
import { plainAddress } from "../http/plain-address.ts";
import { noteEvent } from "../store/audit.ts";
import { logError } from "../store/log.ts";
import { assets } from "./assets.ts";
import { development } from "./development.ts";
import { failed, notFound, signInFirst } from "./errors.tsx";
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
  /** The groups and their rights, where people sign in. */
  access?: Access;
  /** Who may do what; as the groups may, or everybody everything where nobody signs in. */
  policy?: Policy;
  /** Who sends a request; who signed in, without it. */
  personOf?(c: Context): Person | undefined | Promise<Person | undefined>;
}

/** A web application over a database: its protections, its pages, and what it answers when something goes wrong. */
export function application<Tables>(made: Application<Tables>): Hono<Environment> {
  const app = new Hono<Environment>();
  const scopeFor = scopes(made);
  const tables = accountTables(made.db as unknown as Kysely<AnyTables>);
  const asking =
    made.personOf ?? (made.access ? (c: Context) => personOf(c, tables) : () => undefined);
  app.use(knownHosts(), protectiveHeaders(), sameOrigin(), limitedBody());
  app.use(async (c, next) => {
    c.set("scope", scopeFor(await asking(c), clientAddress(c)));
    if (made.access) c.header("cache-control", "no-store");
    return next();
  });
  mount(app, [
    ...assets.routes,
    ...development().routes,
    ...home.routes,
    ...(made.access ? [signIn, ownAccount, people, log].flatMap(({ routes }) => routes) : []),
    ...made.entities.flatMap(({ features }) => features.flatMap(({ routes }) => routes)),
  ]);
  const scopeOf = (c: Context<Environment>) => c.get("scope") ?? scopeFor(undefined);
  app.notFound((c) => {
    const plain = c.req.method === "GET" ? plainAddress(c) : undefined;
    if (plain) return c.redirect(plain, 301);
    const scope = scopeOf(c);
    // Whoever isn't signed in can't tell what is there from what isn't.
    return scope.access && !scope.person ? signInFirst(c, scope) : notFound(c, scope);
  });
  app.onError(async (error, c) => {
    const scope = scopeOf(c);
    if (error instanceof Forbidden && scope.person) {
      const noted = noteEvent(scope, "refused", { path: c.req.path.slice(0, 500) });
      await noted.catch((trouble) => logError(trouble, "noting a refusal"));
    }
    return failed(c, scope, error);
  });
  return app;
}

/** Makes the scope of each request. */
export function scopes<Tables>({
  db,
  settings,
  entities,
  access,
  policy = access ? policyOf(access) : everything,
}: Application<Tables>) {
  const registry = new Registry(entities);
  const tables = db as unknown as Kysely<AnyTables>;
  return (person: Person | undefined, address = "") =>
    new Scope({ db: tables, settings, entities: registry, policy, access, person, address });
}
