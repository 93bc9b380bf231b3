import { type Context, Hono } from "hono";
import type { Kysely } from "kysely";
import type { Access } from "../access/access.ts";
import { type AccountTables, accountTables } from "../access/account-tables.ts";
import { activity } from "../access/activity.tsx";
import type { ChangedRights } from "../access/changed-rights.ts";
import { secondStep } from "../access/code.tsx";
import { forgotten } from "../access/forgotten.tsx";
import { changedRights } from "../access/kept-rights.ts";
import { log } from "../access/log.tsx";
import { narrowed } from "../access/narrowed.ts";
import { newEmail } from "../access/new-email.tsx";
import { organisations } from "../access/organisations.tsx";
import { ownAccount } from "../access/own-account.tsx";
import { makingGroups } from "../access/own-group-pages.tsx";
import { ownSecondFactor } from "../access/own-second-factor.tsx";
import { ownTokens } from "../access/own-tokens.tsx";
import { passkeys } from "../access/passkey-pages.tsx";
import { paymentStandIn } from "../access/payment.tsx";
import { people } from "../access/people.tsx";
import type { Person } from "../access/person.ts";
import { planHook } from "../access/plan-pages.tsx";
import { provider } from "../access/provider-pages.ts";
import { policyOf } from "../access/rights.ts";
import { changingRights } from "../access/rights-page.tsx";
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
import { personOfToken } from "../access/token-person.ts";
import { visitorsOnly } from "../access/visitors-only.ts";
import { noteVisit } from "../access/visits.ts";
import { tablesOf } from "../database/current-dialect.ts";
import { Registry } from "../entity/registry.ts";
import { forPrograms } from "../features/api/for-programs.ts";
import { ownCalendar } from "../features/calendar/own-calendar.tsx";
import { arranging } from "../features/dashboard/arrange.tsx";
import type { Dashboard } from "../features/dashboard/tile.ts";
import { embedding } from "../features/embedded/embedded.tsx";
import type { EntityFeatures, Feature } from "../features/feature.ts";
import { sentFiles } from "../features/files/files.ts";
import type { FileStore } from "../files/file-store.ts";
import { openFiles } from "../files/location.ts";
import { bearerOf } from "../http/bearer.ts";
import { clientAddress } from "../http/client-address.ts";
import { crossOrigin, isNamedOrigin } from "../http/cross-origin.ts";
import { type EmbeddedPage, embeddedAt } from "../http/embedded-page.ts";
import { protectiveHeaders } from "../http/headers.ts";
import { knownHosts } from "../http/hosts.ts";
import { sameOrigin } from "../http/origin.ts";
import { plainAddress } from "../http/plain-address.ts";
import { isApi } from "../http/problem.ts";
import { mailbox } from "../mail/mailbox.tsx";
import { noteEvent } from "../store/audit.ts";
import { logError } from "../store/log.ts";
import { assets } from "./assets.ts";
import { development } from "./development.ts";
import { failed, notFound, signInFirst } from "./errors.tsx";
import { find } from "./find.tsx";
import { home } from "./home.tsx";
import { manifest } from "./manifest.ts";
import { type Environment, mount } from "./mount.ts";

/** What an application is made of. */
export interface Application<Tables> extends More {
  db: Kysely<Tables>;
  settings: Settings;
  entities: readonly EntityFeatures[];
  /** What the start page shows besides the numbers of records. */
  dashboard?: Dashboard;
}

/** What an application can do without. */
export interface More {
  /** The groups and their rights, where people sign in. */
  access?: Access;
  /** Who may do what; as the groups may, or everybody everything where nobody signs in. */
  policy?: Policy;
  /** Who sends a request; who signed in, without it. */
  personOf?(c: Context): Person | undefined | Promise<Person | undefined>;
  /** Where files are; as FILES_URL says, without it. */
  files?: FileStore;
}

/** A web application over a database: its protections, its pages, and what it answers when something goes wrong. */
export function application<Tables>(made: Application<Tables>): Hono<Environment> {
  const app = new Hono<Environment>();
  const { dashboard = { tiles: [] } } = made;
  const { embedded = [] } = made.settings;
  const scopeFor = scopes(made);
  const tables = accountTables(made.db as unknown as Kysely<AnyTables>);
  const asking =
    made.personOf ?? (made.access ? whoAsks(tables, made.access, made.settings) : () => undefined);
  app.use(knownHosts(), protectiveHeaders(embedded), crossOrigin(), sameOrigin());
  app.use(async (c, next) => {
    const framed = embeddedAt(embedded, c.req.path);
    const asked = framed ? undefined : await asking(c);
    const changed = await changedRights(tables, made.access, asked?.organisation?.id);
    c.set("scope", scopeFor(asked, clientAddress(c), changed, framed));
    if (made.access) c.header("cache-control", "no-store");
    await next();
    const { person, entities, db } = c.get("scope");
    const page =
      person && c.res.ok && c.req.method === "GET" ? visitedPage(c, entities) : undefined;
    if (person && page) noteVisit(db, person.id, page);
  });
  mount(app, [
    ...assets.routes,
    ...manifest.routes,
    ...development().routes,
    ...home(dashboard).routes,
    ...arranging(dashboard).routes,
    ...ownCalendar.routes,
    ...find.routes,
    ...sentFiles.routes,
    ...forPrograms(made.entities).routes,
    ...embedding(embedded, made.entities).routes,
    ...(made.access ? signingIn().flatMap(({ routes }) => routes) : []),
    ...made.entities.flatMap(({ features }) => features.flatMap(({ routes }) => routes)),
  ]);
  const scopeOf = (c: Context<Environment>) => c.get("scope") ?? scopeFor(undefined);
  app.notFound((c) => {
    const plain = c.req.method === "GET" ? plainAddress(c) : undefined;
    if (plain) return c.redirect(plain, 301);
    const scope = scopeOf(c);
    // Whoever isn't signed in can't tell what is there from what isn't.
    const isNobody = scope.access && !scope.person && !scope.embedded;
    return isNobody ? signInFirst(c, scope) : notFound(c, scope);
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

/** Who sends a request: somebody who is signed in, or whose token a program has. */
function whoAsks(tables: Kysely<AccountTables>, { organisations }: Access, { language }: Settings) {
  const isOrganised = organisations !== undefined;
  return async (c: Context) => {
    if (isApi(c.req.path)) {
      if (bearerOf(c) !== undefined) return personOfToken(c, tables, { isOrganised, language });
      // Pages of other origins ask without the session of whoever looks at them.
      if (isNamedOrigin(c)) return undefined;
    }
    return personOf(c, tables, isOrganised);
  };
}

/** The pages of an application in which people sign in. */
const signingIn = (): Feature[] => [
  signIn,
  secondStep,
  forgotten,
  newEmail,
  passkeys,
  provider,
  ownAccount,
  ownSecondFactor,
  ownTokens,
  people,
  changingRights,
  makingGroups,
  organisations,
  planHook,
  paymentStandIn,
  log,
  activity,
  mailbox(),
];

/** The page that a request opened, without the number of its record: `/hives/…`; undefined for what is no page of records. */
function visitedPage(c: Context, { all }: Registry): string | undefined {
  const { path } = c.req;
  if (path === "/") return path;
  const entity = all.find((each) => path === each.path || path.startsWith(`${each.path}/`));
  if (!entity) return undefined;
  const rest = path.slice(entity.path.length).split("/").filter(Boolean);
  const named = rest.map((part, at) => (at === 0 && /^\d/.test(part) ? "…" : part));
  return [entity.path, ...named].join("/").slice(0, 120);
}

/** Makes the scope of each request. */
export function scopes<Tables>({
  db,
  settings,
  entities,
  access,
  policy = access ? policyOf(access) : everything,
  files = openFiles(),
}: Application<Tables>) {
  const registry = new Registry(entities);
  const tables = db as unknown as Kysely<AnyTables>;
  // Who may do everything sees all organisations; others see theirs, and nobody's where they are in none.
  const isApart = access?.organisations !== undefined && policy !== everything;
  return (
    person: Person | undefined,
    address = "",
    changed?: ChangedRights,
    embedded?: EmbeddedPage,
  ) => {
    const organisation = isApart ? (person?.organisation?.id ?? 0) : undefined;
    const db = organisation === undefined ? tables : tablesOf(tables, organisation);
    const narrowing = person?.token?.may;
    const mayBe = embedded ? visitorsOnly(policy, embedded) : policy;
    const own = narrowing ? narrowed(mayBe, narrowing) : mayBe;
    const given = { db, files, settings, entities: registry, policy: own, access, person, address };
    return new Scope({ ...given, organisation, changed, embedded });
  };
}
