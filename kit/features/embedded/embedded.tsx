import type { Context } from "hono";
import { accountTables } from "../../access/account-tables.ts";
import { attemptMinutes, countAttempt } from "../../access/attempts.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import {
  type EmbeddedPage,
  embeddedAddress,
  embeddedPath,
  sentAddress,
} from "../../http/embedded-page.ts";
import { sentForm, sentText } from "../../http/sent-form.ts";
import { showPage } from "../../ui/layout.tsx";
import { trapInput } from "../../ui/trap.tsx";
import { type EntityFeatures, type Feature, type Route, recordPart } from "../feature.ts";
import { type LinkWithin, withOwnLinks } from "./own-links.ts";
import { showSites } from "./sites.tsx";

/** How many times the limit of one address is that of all together. */
const together = 20;

/** The pages that may stand in pages of other sites: those of the entities themselves, of which nothing leads away. */
export function embedding(
  pages: readonly EmbeddedPage[],
  entities: readonly EntityFeatures[],
): Feature {
  if (pages.length === 0) return { routes: [] };
  return {
    routes: [
      {
        method: "GET",
        path: embeddedPath,
        needs: "administrator",
        answer: (c, scope) => showSites(c, scope, pages),
      },
      ...pages.flatMap((page) => routesOf(page, pages, entities)),
    ],
  };
}

/** The routes of a page: they answer as those of its entity. */
function routesOf(
  page: EmbeddedPage,
  pages: readonly EmbeddedPage[],
  entities: readonly EntityFeatures[],
): Route[] {
  const found = entities.find(({ entity }) => entity.table === page.of);
  if (!found)
    throw new Error(
      `The embedded page ${page.name} shows ${page.of}, which isn't in this application. Remove the page from src/app.ts, or put the entity back.`,
    );
  const { entity } = found;
  const address = embeddedAddress(page);
  const route = (method: Route["method"], after: string): Route => {
    const path = `${entity.path}${after}`;
    const known = found.features
      .flatMap(({ routes }) => routes)
      .find((each) => each.method === method && each.path === path);
    if (!known)
      throw new Error(
        `The embedded page ${page.name} needs ${path}, which no feature gives. Remove the page from src/app.ts, or put the feature back.`,
      );
    return known;
  };
  const within = linkWithin(page, pages, entities);
  const as = (own: Route, after = "", begin?: (c: Context, scope: Scope) => Answered): Route => ({
    ...own,
    path: `${address}${after}`,
    answer: async (c, scope) =>
      (await begin?.(c, scope)) ?? led(await own.answer(c, scope), within),
  });
  switch (page.kind) {
    case "record":
      return [as(route("GET", `/${recordPart}`), `/${recordPart}`)];
    case "form":
      return [
        as(route("GET", "/new"), "", (c, scope) =>
          wasSent(c) ? thank(c, scope, page, entity) : undefined,
        ),
        as(route("POST", "/new"), "", (c, scope) => refuse(c, scope, page, entity)),
      ];
    default:
      return [as(route("GET", ""), "", (c) => withQueryOf(c, page))];
  }
}

type Answered = Response | undefined | Promise<Response | undefined>;

/** Leads to what the page shows, where its address doesn't say anything else. */
function withQueryOf(c: Context, page: EmbeddedPage): Response | undefined {
  const { search } = new URL(c.req.url);
  if (!page.query || search !== "") return undefined;
  return c.redirect(`${embeddedAddress(page)}?${page.query}`, 302);
}

/** Where links lead that stay within embedded pages: to the page itself, and to records for which there is one. */
function linkWithin(
  page: EmbeddedPage,
  pages: readonly EmbeddedPage[],
  entities: readonly EntityFeatures[],
): LinkWithin {
  const own = embeddedAddress(page);
  const records = pages
    .filter(({ kind }) => kind === "record")
    .map((each) => ({ each, path: pathOf(entities, each) }));
  const path = pathOf(entities, page);
  const here = page.kind === "form" ? `${path}/new` : path;
  return (href) => {
    const [address = "", ...rest] = href.split(/(?=[?#])/);
    const behind = rest.join("");
    if (address === own || (address === "" && behind !== "")) return href;
    if (page.kind !== "record" && address === here) return own + behind;
    const record = records.find((each) => /^\/\d[^/]*$/.test(after(address, each.path)));
    return record && embeddedAddress(record.each) + after(address, record.path) + behind;
  };
}

function pathOf(entities: readonly EntityFeatures[], { of }: EmbeddedPage): string {
  return encodeURI(entities.find(({ entity }) => entity.table === of)?.entity.path ?? "");
}

function after(address: string, start: string): string {
  return address.startsWith(start) ? address.slice(start.length) : "";
}

/** An answer whose links stay within embedded pages. */
async function led(answer: Response, within: LinkWithin): Promise<Response> {
  const to = answer.headers.get("location");
  const headers = new Headers(answer.headers);
  if (to !== null) {
    headers.set("location", within(to) ?? to);
    return new Response(null, { status: answer.status, headers });
  }
  if (!headers.get("content-type")?.startsWith("text/html")) return answer;
  return new Response(withOwnLinks(await answer.text(), within), {
    status: answer.status,
    headers,
  });
}

function wasSent(c: Context): boolean {
  return c.req.query("sent") === "yes";
}

/** Says that a form arrived. */
function thank(c: Context, scope: Scope, page: EmbeddedPage, entity: Entity) {
  const { embedded } = scope.messages;
  const content = (
    <>
      <h1>{scope.namesOf(entity).heading}</h1>
      <div class="alert alert-success" role="status">
        {embedded.thanks}
      </div>
      <a class="btn btn-outline-primary" href={embeddedAddress(page)}>
        {embedded.another}
      </a>
    </>
  );
  return showPage(c, scope, content, { title: embedded.thanks });
}

/** Refuses a form that a robot sent, and those that are too many; undefined for one that is to be saved. */
async function refuse(
  c: Context,
  scope: Scope,
  page: EmbeddedPage,
  entity: Entity,
): Promise<Response | undefined> {
  const { limit = 10 } = page;
  const fits = await countAttempt(accountTables(scope.db), [
    { subject: `embedded ${page.name} ${scope.address}`, most: limit },
    { subject: `embedded ${page.name}`, most: together * limit },
  ]);
  const { embedded } = scope.messages;
  if (!fits) {
    const content = (
      <>
        <h1>{scope.namesOf(entity).heading}</h1>
        <div class="alert alert-warning" role="alert">
          {embedded.tooMany(scope.format.number(attemptMinutes))}
        </div>
      </>
    );
    return showPage(c, scope, content, { title: embedded.notNow, status: 429 });
  }
  // People don't see this input; a robot that filled it in learns nothing.
  if (sentText(await sentForm(c), trapInput) === "") return undefined;
  return c.redirect(sentAddress(page), 303);
}
