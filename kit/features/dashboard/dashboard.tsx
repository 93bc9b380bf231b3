import type { Scope } from "../../access/scope.ts";
import { keptTiles } from "../../store/kept-tiles.ts";
import { arrangePath, mayArrange } from "./arrange.tsx";
import { TileFilterForm, tileFilter } from "./filter.tsx";
import type { Dashboard, Tile } from "./tile.ts";
import { type ReadyTile, readyTile } from "./tile.tsx";

/** How many tiles ask the database at once, so that others get a turn. */
const atOnce = 3;

/** The tiles of a person's start page: those that were kept for them or for everybody, or those of the application. */
export async function tilesOf(scope: Scope, { tiles }: Dashboard): Promise<readonly Tile[]> {
  const kept = await keptTiles(scope);
  return kept?.tiles ?? tiles.filter((tile) => scope.isFor(tile.for));
}

/** The figures, charts and lists of the start page. */
export async function dashboardOf(scope: Scope, dashboard: Dashboard, query: URLSearchParams) {
  const { messages } = scope;
  const filter = tileFilter(scope, dashboard.filter, query);
  const tiles = await tilesOf(scope, dashboard);
  const ready: ReadyTile[] = [];
  for (let at = 0; at < tiles.length; at += atOnce) {
    const some = tiles.slice(at, at + atOnce).map((tile) => readyTile(scope, tile, filter));
    ready.push(...(await Promise.all(some)).filter((tile) => tile !== undefined));
  }
  const figures = ready.filter(({ kind }) => kind === "figure").length;
  return (
    <>
      <div class="tile-head">
        {ready.length > 0 && (await TileFilterForm({ scope, filter }))}
        {mayArrange(scope) && <a href={arrangePath}>{messages.dashboard.arrange}</a>}
      </div>
      <div class="dashboard" data-figures={figures % 3 === 0 ? "thirds" : "halves"}>
        {ready.map(({ kind, title, href, content, isWhole }) => (
          <section class="panel" data-kind={kind} aria-label={title}>
            <h2>
              <a class="panel-link" href={href}>
                {title}
              </a>
            </h2>
            {!isWhole && <p class="soft small">{messages.dashboard.notFiltered}</p>}
            {content}
          </section>
        ))}
      </div>
    </>
  );
}
