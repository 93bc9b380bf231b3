import type { Context } from "hono";
import { isAdministrator } from "../../access/person.ts";
import { type Errors, FormProblem, PlainInput } from "../../access/plain-form.tsx";
import { Hidden, NotSignedIn, type Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { text } from "../../fields/text.ts";
import { type SentForm, sentForm, sentText } from "../../http/sent-form.ts";
import { type KeptTile, keepTiles, keptTiles, mostTiles } from "../../store/kept-tiles.ts";
import { firstPage } from "../../store/list/request.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import type { Feature } from "../feature.ts";
import type { Dashboard } from "./tile.ts";
import { tileTitle } from "./tile.tsx";

/** Where people put their start page together. */
export const arrangePath = "/-/dashboard";

/** The longest query of a tile. */
const longestQuery = 2000;

/** Whether somebody can put a start page together: who is signed in, or whoever asks where nobody signs in. */
export function mayArrange({ access, person }: Scope): boolean {
  return !access || person !== undefined;
}

/** Whether what somebody changes is changed for everyone. */
function mayShare({ access, person }: Scope): boolean {
  return !access || isAdministrator(person);
}

/** The page on which people put their start page together. */
export function arranging(dashboard: Dashboard): Feature {
  return {
    routes: [
      {
        method: "GET",
        path: arrangePath,
        needs: "nothing",
        answer: (c, scope) => show(c, scope, dashboard),
      },
      {
        method: "POST",
        path: arrangePath,
        needs: "nothing",
        answer: (c, scope) => sent(c, scope, dashboard),
      },
    ],
  };
}

/** The address at which a list is put on the start page. */
export function addAddress({ table }: Entity, query: URLSearchParams): string {
  const kept = new URLSearchParams(query);
  for (const name of Object.keys(firstPage)) kept.delete(name);
  return `${arrangePath}?${new URLSearchParams({ of: table, query: kept.toString() })}`;
}

/** The tiles as they are now, and whose they are. */
async function tilesNow(scope: Scope, { tiles }: Dashboard) {
  const kept = await keptTiles(scope);
  if (kept) return kept;
  const usual = tiles
    .filter((tile) => scope.isFor(tile.for))
    .map(
      ({ of, name, query }): KeptTile => ({ of, name: name ? scope.translated(name) : "", query }),
    );
  return { whose: undefined, tiles: usual };
}

async function show(
  c: Context,
  scope: Scope,
  dashboard: Dashboard,
  errors: Errors = new Map(),
): Promise<Response> {
  if (!mayArrange(scope)) throw new NotSignedIn();
  const { messages } = scope;
  const words = messages.dashboard;
  const { whose, tiles } = await tilesNow(scope, dashboard);
  const titles = tiles.map((tile) => tileTitle(scope, tile));
  const asked = new URL(c.req.url).searchParams;
  const entity = scope.entities.ofTable(asked.get("of") ?? "");
  const isAdding = entity !== undefined && scope.may("see", entity);
  const adding: KeptTile = { of: asked.get("of") ?? "", name: "", query: asked.get("query") ?? "" };
  const said = scope.access ? words.whose[whose ?? "usual"] : words.whose.shared;
  const page = (
    <>
      <Trail scope={scope} to="/" label={scope.settings.name} />
      <h1>{words.arrange}</h1>
      <FormProblem errors={errors} />
      {isAdding && (
        <form method="post" action={arrangePath} class="sheet narrow-form">
          <h2>{words.addThis}</h2>
          <p>
            {words.what}:{" "}
            <a href={withQuery(encodeURI(entity.path), new URLSearchParams(adding.query), {})}>
              {tileTitle(scope, adding) ?? scope.namesOf(entity).headings}
            </a>
          </p>
          <input type="hidden" name="of" value={adding.of} />
          <input type="hidden" name="query" value={adding.query} />
          <PlainInput
            name="name"
            label={messages.name}
            errors={errors}
            hint={words.nameHint}
            required={false}
          />
          <button class="btn btn-primary" type="submit" name="do" value="add">
            {words.addThis}
          </button>
        </form>
      )}
      <p class="soft">
        {said} {tiles.length > 1 && words.how} {words.addHow}
      </p>
      <ol class="by-hand" data-order>
        {tiles.map((_, at) => {
          const title = titles[at];
          return title === undefined ? null : (
            <li data-record={at + 1}>
              <div class="tile-row">
                <form method="post" action={arrangePath}>
                  <input type="hidden" name="record" value={at + 1} />
                  <Step name="before" to={at} sign="↑" words={words.moveUp(title)} />
                  <Step
                    name="after"
                    to={at + 1 < tiles.length ? at + 2 : 0}
                    sign="↓"
                    words={words.moveDown(title)}
                  />
                </form>
                <span>{title}</span>
                <form method="post" action={arrangePath} class="tile-remove">
                  <input type="hidden" name="record" value={at + 1} />
                  <button
                    class="btn btn-outline-danger btn-sm"
                    type="submit"
                    name="do"
                    value="remove"
                    aria-label={words.remove(title)}
                  >
                    {words.removeShort}
                  </button>
                </form>
              </div>
            </li>
          );
        })}
      </ol>
      <form method="post" action={arrangePath} class="actions">
        {scope.access && mayShare(scope) && whose === "own" && (
          <button class="btn btn-outline-secondary" type="submit" name="do" value="share">
            {words.forAll}
          </button>
        )}
        {scope.access && whose === "own" && (
          <button class="btn btn-outline-secondary" type="submit" name="do" value="back">
            {words.back}
          </button>
        )}
        {whose === "everyone" && mayShare(scope) && (
          <button class="btn btn-outline-secondary" type="submit" name="do" value="usual">
            {words.usual}
          </button>
        )}
      </form>
    </>
  );
  return showPage(c, scope, page, { title: words.arrange, status: errors.size > 0 ? 422 : 200 });
}

function Step({
  name,
  to,
  sign,
  words,
}: {
  name: "before" | "after";
  /** The number of the tile beside which it is put; 0 at an end. */
  to: number;
  sign: string;
  words: string;
}) {
  return (
    <button
      class="btn btn-outline-secondary btn-sm"
      type="submit"
      name={name}
      value={to > 0 ? String(to) : ""}
      disabled={to === 0}
      aria-label={words}
    >
      {sign}
    </button>
  );
}

async function sent(c: Context, scope: Scope, dashboard: Dashboard): Promise<Response> {
  if (!mayArrange(scope)) throw new NotSignedIn();
  const data = await sentForm(c);
  const { whose, tiles } = await tilesNow(scope, dashboard);
  // Without accounts, there is one start page for all.
  const mine = scope.access ? "own" : "everyone";
  const number = (name: string) => {
    const given = sentText(data, name);
    return /^\d{1,3}$/.test(given) && Number(given) <= tiles.length ? Number(given) : 0;
  };
  const done = sentText(data, "do");
  if (done === "add") return addSent(c, scope, dashboard, { data, tiles, mine });
  if (done === "back") await keepTiles(scope, "own", undefined);
  else if (done === "share" || done === "usual") {
    if (!mayShare(scope)) throw new Hidden();
    if (done === "usual") await keepTiles(scope, "everyone", undefined);
    else if (whose === "own") {
      await keepTiles(scope, "everyone", tiles);
      await keepTiles(scope, "own", undefined);
    }
  } else {
    const at = number("record");
    const moved = tiles[at - 1];
    if (!moved) return c.notFound();
    const others = tiles.filter((tile) => tile !== moved);
    const beside = tiles[(number("before") || number("after")) - 1];
    if (done === "remove") await keepTiles(scope, mine, others);
    else if (!beside || beside === moved) return c.notFound();
    else {
      const place = others.indexOf(beside) + (number("after") ? 1 : 0);
      await keepTiles(scope, mine, others.toSpliced(place, 0, moved));
    }
  }
  return c.redirect(arrangePath, 303);
}

async function addSent(
  c: Context,
  scope: Scope,
  dashboard: Dashboard,
  { data, tiles, mine }: { data: SentForm; tiles: KeptTile[]; mine: "own" | "everyone" },
): Promise<Response> {
  const entity = scope.entities.ofTable(sentText(data, "of"));
  const query = sentText(data, "query");
  if (!entity || !scope.may("see", entity) || query.length > longestQuery) return c.notFound();
  const given = sentText(data, "name").trim();
  const name = given === "" ? { value: "" } : text({ label: "", max: 60 }).read([given], scope);
  const wrong = new Map<string, string>();
  if ("error" in name) wrong.set("name", name.error);
  if (tiles.length >= mostTiles) {
    wrong.set("", scope.messages.dashboard.tooMany(scope.format.number(mostTiles)));
  }
  if ("error" in name || wrong.size > 0) return show(c, scope, dashboard, wrong);
  await keepTiles(scope, mine, [...tiles, { of: entity.table, name: name.value ?? "", query }]);
  return c.redirect("/", 303);
}
