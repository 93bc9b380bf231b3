import type { Child } from "hono/jsx";
import type { Scope } from "../../access/scope.ts";
import { troubleOf } from "../../database/current-dialect.ts";
import { type Entity, isReference, isReferences, type Row } from "../../entity/entity.ts";
import { address, withQuery } from "../../entity/links.ts";
import { type Drawing, reportIn } from "../../formula/report.ts";
import { filterParameter } from "../../store/list/filters.ts";
import { firstRows } from "../../store/list/list.ts";
import { listRequest } from "../../store/list/request.ts";
import { readyReport, refusalOf, runReport } from "../../store/report/run.ts";
import { shownValue } from "../../ui/value.tsx";
import { drawnReport, reportTitle } from "../report/report.tsx";
import { rowsOf } from "../report/rows-of.ts";
import { filteredQuery, type TileFilter } from "./filter.tsx";
import type { Tile } from "./tile.ts";

/** How much room a tile takes: a figure, a chart or a list. */
type Kind = "figure" | "chart" | "rows";

/** A tile, ready to be shown. */
export interface ReadyTile {
  kind: Kind;
  title: string;
  /** The list that it is of. */
  href: string;
  content: Child;
  /** Whether the filter of the page can't be said of it in full. */
  isWhole: boolean;
}

/** The most records of a list in a tile. */
const mostListed = 6;

/** What a tile shows; undefined where the person sees none of it. */
export async function readyTile(
  scope: Scope,
  tile: Tile,
  filter: TileFilter,
): Promise<ReadyTile | undefined> {
  const entity = scope.entities.ofTable(tile.of);
  if (!entity || !scope.may("see", entity)) return undefined;
  // Who is no record themselves has nothing of their own.
  if (isOwn(scope, entity, new URLSearchParams(tile.query)) && scope.me === 0) return undefined;
  const { query, isWhole } = filteredQuery(scope, entity, tile.query, filter);
  const name = tile.name ? scope.translated(tile.name) : "";
  const href = withQuery(encodeURI(entity.path), query, {});
  const made = await contentOf(scope, entity, query).catch((error): Awaited<Made> => {
    const trouble = troubleOf(error);
    // One tile that takes too long leaves the others as they are.
    if (trouble !== "slow") throw error;
    const content = <p class="empty">{scope.messages.troubles[trouble]}</p>;
    return { kind: "rows", title: scope.namesOf(entity).headings, content };
  });
  return made && { ...made, title: name || made.title, href, isWhole };
}

/** What a tile is called; undefined where the person sees none of it. */
export function tileTitle(scope: Scope, { of, name, query }: Tile): string | undefined {
  const entity = scope.entities.ofTable(of);
  if (!entity || !scope.may("see", entity)) return undefined;
  const asked = new URLSearchParams(query);
  const isReport = asked.get("layout") === "report";
  if (isReport && readyReport(scope, entity, reportIn(asked)).troubles.length > 0) return undefined;
  if (name) return scope.translated(name);
  return isReport ? reportTitle(scope, entity, reportIn(asked)) : listTitle(scope, entity, asked);
}

type Made = Promise<Pick<ReadyTile, "kind" | "title" | "content"> | undefined>;

async function contentOf(scope: Scope, entity: Entity, query: URLSearchParams): Made {
  const request = listRequest(query);
  if (query.get("layout") !== "report") {
    const { rows, more } = await firstRows(scope, entity, request, mostListed);
    return {
      kind: "rows",
      title: listTitle(scope, entity, query),
      content: <Rows scope={scope} entity={entity} rows={rows} more={more} query={query} />,
    };
  }
  const report = reportIn(query);
  const { result } = await runReport(scope, entity, request, report);
  // A report of what is hidden from the person isn't there for them.
  if (!result) return undefined;
  const title = reportTitle(scope, entity, report);
  const kind = kinds[report.drawn];
  const refusal = refusalOf(scope, result);
  if (refusal) return { kind, title, content: <p class="empty">{refusal}</p> };
  const isEmpty = result.whole.tally.rows === 0;
  const content = isEmpty ? (
    <p class="empty">{scope.messages.dashboard.nothingYet}</p>
  ) : (
    drawnReport(scope, entity, result, {
      drawn: report.drawn,
      hrefOf: rowsOf(entity, query, result),
      narrow: true,
    })
  );
  return { kind, title, content };
}

const kinds: Readonly<Record<Drawing, Kind>> = {
  trend: "figure",
  table: "chart",
  bars: "chart",
  columns: "chart",
  line: "chart",
  area: "chart",
  scatter: "chart",
  ring: "chart",
};

function listTitle(scope: Scope, entity: Entity, query: URLSearchParams): string {
  const { many, headings } = scope.namesOf(entity);
  const [first = ""] = (query.get("sort") ?? "").split(",");
  const isLatest = first.startsWith("-") && first.slice(1) === entity.calendar?.from;
  if (isOwn(scope, entity, query)) return scope.messages.dashboard.yours(many);
  return isLatest ? scope.messages.dashboard.latest(many) : headings;
}

/** Whether a list is of what belongs to whoever looks at it. */
function isOwn({ access }: Scope, { fields }: Entity, query: URLSearchParams): boolean {
  return Object.entries(fields).some(
    ([name, field]) =>
      (isReference(field) || isReferences(field)) &&
      field.to === access?.record &&
      query.getAll(filterParameter(name)).includes("me"),
  );
}

/** The first records of a list, each with its day. */
function Rows({
  scope,
  entity,
  rows,
  more,
  query,
}: {
  scope: Scope;
  entity: Entity;
  rows: readonly Row[];
  more: boolean;
  query: URLSearchParams;
}) {
  const { messages } = scope;
  if (rows.length === 0) return <p class="empty">{messages.dashboard.nothingYet}</p>;
  const day = entity.calendar?.from;
  const field = day !== undefined && !scope.isHidden(entity, day) ? entity.fields[day] : undefined;
  return (
    <>
      <ul class="tile-rows">
        {rows.map((row) => (
          <li>
            <a href={address(row)}>{row.displayTitle}</a>
            {field && <span class="soft">{shownValue(scope, row, day ?? "", field)}</span>}
          </li>
        ))}
      </ul>
      {more && (
        <a class="small" href={withQuery(encodeURI(entity.path), query, {})}>
          {messages.showAll}
        </a>
      )}
    </>
  );
}
