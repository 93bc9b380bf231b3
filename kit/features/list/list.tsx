import type { Context } from "hono";
import type { Child } from "hono/jsx";
import { type KeptView, viewsOf, withOwnLook } from "../../access/kept-views.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Highlight, Row } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import type { NamedView } from "../../entity/named-view.ts";
import type { PageLink } from "../../entity/page-link.ts";
import { typeOf } from "../../fields/types.ts";
import { archiveChoice } from "../../store/archive.ts";
import { mostCounted } from "../../store/list/conditions.ts";
import type { FacetValue } from "../../store/list/counted.ts";
import { choiceCounts } from "../../store/list/facets.ts";
import { filterable, filterParameter } from "../../store/list/filters.ts";
import { groupingOf, isGroupable } from "../../store/list/groups.ts";
import { highlightsAmong } from "../../store/list/highlights.ts";
import { type ListPage, listPage } from "../../store/list/list.ts";
import {
  firstPage,
  isPlace,
  type ListRequest,
  listRequest,
  pageSizes,
} from "../../store/list/request.ts";
import { isSearched } from "../../store/list/search.ts";
import { totalsOf } from "../../store/list/totals.ts";
import type { Columns } from "../../ui/columns.ts";
import { showPage } from "../../ui/layout.tsx";
import { PageLinks } from "../../ui/page-links.tsx";
import { Pager } from "../../ui/pager.tsx";
import { RecordTable } from "../../ui/table.tsx";
import { totalText } from "../../ui/total.ts";
import { calendarOf } from "../calendar/calendar.tsx";
import { moveDayPath, movedToDay } from "../calendar/move.ts";
import type { Feature } from "../feature.ts";
import { moveSent } from "../moving.tsx";
import { reportAddress } from "../report/builder.tsx";
import { reportOf } from "../report/report.tsx";
import { Board, boardPage, movedTo, movePath } from "./board.tsx";
import { Cards, cardFacts, pictureField } from "./cards.tsx";
import { chosenColumns, chosenWidths, columnsSent, showColumns } from "./columns.tsx";
import { type Chip, Chips, chipsOf } from "./filter-chips.tsx";
import { panelPath, showPanel } from "./filter-panel.tsx";
import { filterValue } from "./filter-words.ts";
import { chosenLayout, type LaidOut, type Layout, LayoutLinks, layoutsOf } from "./layouts.tsx";
import { mapOf, mapPage } from "./map.tsx";
import { Tree, treePage } from "./tree.tsx";
import { showViews, Views, viewSent, viewsPath } from "./views.tsx";

/** What a list has besides its columns. */
export interface ListOptions<Known extends Entity> {
  /** The field whose choices stand above the list as tabs. */
  tabs?: keyof Known["fields"] & string;
  /** How it can be laid out; the first is what it begins with. */
  layouts?: readonly Layout<Known>[];
  /** The list under names, for everybody: each with what stands behind the `?` of its address. */
  views?: readonly NamedView[];
}

/** The list of an entity: searched, sorted, filtered and paged by its address. */
export function list<Known extends Entity>(
  entity: Known,
  columns: Columns<Known>,
  options: ListOptions<Known> = {},
): Feature {
  const known = entity as unknown as Entity;
  const needs = { action: "see", entity: known } as const;
  const boards = (options.layouts ?? []).flatMap((layout) =>
    typeof layout === "object" && "board" in layout ? layout : [],
  );
  return {
    columns,
    links: [
      {
        on: "menu",
        needs: "see",
        path: "",
        look: "secondary",
        text: (_, { headings }) => headings,
      },
      ...(options.views ?? []).flatMap((view): PageLink[] =>
        view.menu
          ? [
              {
                on: "menu",
                needs: "see",
                path: `?${view.query}`,
                look: "secondary",
                text: view.name,
                for: view.for,
              },
            ]
          : [],
      ),
    ],
    routes: [
      {
        method: "GET",
        path: entity.path,
        needs,
        answer: (c, scope) => {
          const { searchParams: query } = new URL(c.req.url);
          const clean = reportAddress(query) ?? withoutBlanks(query);
          if (clean) return c.redirect(withQuery(encodeURI(entity.path), clean, {}), 302);
          return showList(c, scope, entity, { ...options, columns, query });
        },
      },
      {
        method: "GET",
        path: panelPath(known),
        needs,
        answer: (c, scope) => showPanel(c, scope, known),
      },
      {
        method: "GET",
        path: `${entity.path}/columns`,
        needs,
        answer: (c, scope) => showColumns(c, scope, entity, columns),
      },
      {
        method: "POST",
        path: `${entity.path}/columns`,
        needs,
        answer: (c, scope) => columnsSent(c, scope, entity, columns),
      },
      {
        method: "GET",
        path: viewsPath(known),
        needs,
        answer: (c, scope) => showViews(c, scope, known),
      },
      {
        method: "POST",
        path: viewsPath(known),
        needs,
        answer: (c, scope) => viewSent(c, scope, known),
      },
      ...(known.calendar
        ? [
            {
              method: "POST" as const,
              path: moveDayPath(known),
              needs: { action: "change", entity: known } as const,
              answer: (c: Context, scope: Scope) =>
                moveSent(c, scope, known, (row, to) => movedToDay(scope, known, row, to)),
            },
          ]
        : []),
      ...boards.map(({ board }) => ({
        method: "POST" as const,
        path: movePath(known),
        needs: { action: "change", entity: known } as const,
        answer: (c: Context, scope: Scope) =>
          moveSent(c, scope, known, (_, to) => movedTo(scope, known, board, to)),
      })),
    ],
  };
}

/** A query without the inputs of a form that were left blank; undefined where none were. */
function withoutBlanks(query: URLSearchParams): URLSearchParams | undefined {
  const filled = [...query].filter(([, value]) => value !== "");
  return filled.length < query.size ? new URLSearchParams(filled) : undefined;
}

async function showList<Known extends Entity>(
  c: Context,
  scope: Scope,
  entity: Known,
  {
    columns: own,
    tabs,
    layouts: given,
    views: named = [],
    query: asked,
  }: ListOptions<Known> & { columns: Columns<Known>; query: URLSearchParams },
) {
  const known = entity as unknown as Entity;
  const query = await withOwnLook(scope, known, asked);
  const request = listRequest(query);
  const columns = chosenColumns(scope, entity, own, query);
  const layouts = layoutsOf(scope, entity, given);
  const layout = chosenLayout(layouts, query);
  const page = await listPage(scope, entity, request, {
    withRows: layout.kind === "table" || layout.kind === "cards",
  });
  const chips = page.narrowed || query.has("archived") ? await chipsOf(scope, known, query) : [];
  const most = page.total.more ? mostCounted : undefined;
  const counts = tabs === undefined ? [] : await choiceCounts(scope, known, request, tabs, most);
  const names = columns.flatMap((column) => (typeof column === "string" ? [column] : []));
  const isTotalled = query.get("totals") === "yes" && page.total.count > 0;
  const totals = isTotalled ? await totalsOf(scope, known, request, names) : undefined;
  const grouping = isGroupable(scope, known, request.group)
    ? await groupingOf(scope, known, request, {
        field: request.group,
        rows: page.rows as unknown as Row[],
        columns: names,
      })
    : undefined;
  const ids = page.rows.map(({ id }) => id);
  const highlights = await highlightsAmong(scope, known, ids);
  const shown = { ...page, highlights, ...(totals && { totals }), ...(grouping && { grouping }) };
  const drawn = await laidOut(scope, entity, layout, { page, request, columns, highlights });
  const headings = scope.namesOf(known).headings;
  if (scope.embedded) {
    const own = scope.embedded.title;
    const title = own === undefined ? headings : scope.translated(own);
    const props = { page: shown, columns, layout, laidOut: drawn, title };
    return showPage(c, scope, <EmbeddedList {...props} />, { title });
  }
  const content = (
    <ListFrame
      page={shown}
      layouts={layouts}
      layout={layout}
      laidOut={drawn}
      named={named}
      widths={chosenWidths(scope, entity, own, query)}
      columns={columns}
      chips={chips}
      tabs={tabs === undefined ? undefined : { name: tabs, counts }}
      views={await viewsOf(scope, known)}
    />
  );
  return showPage(c, scope, content, { title: headings });
}

/** A list in a page of another site: what it shows, and what looks into that. */
function EmbeddedList<Known extends Entity>({
  page,
  columns,
  layout,
  laidOut,
  title,
}: {
  page: ListPage<Known>;
  columns: Columns<Known>;
  layout: LaidOut;
  laidOut: Child | undefined;
  title: string;
}) {
  const { scope, request, total } = page;
  const entity = page.entity as unknown as Entity;
  const hasRows = layout.kind === "table" || layout.kind === "cards";
  return (
    <>
      <h1>{title}</h1>
      {hasRows && isSearched(entity) && <SearchBox page={page as unknown as ListPage} />}
      {total.count === 0 && !shownEmpty.has(layout.kind) ? (
        <p class="empty">{scope.messages.noMatches(scope.namesOf(entity).many)}</p>
      ) : (
        (laidOut ?? <RecordTable page={page} columns={columns} sorts />)
      )}
      {hasRows && (
        <Pager
          scope={scope}
          path={encodeURI(entity.path)}
          query={request.query}
          pager={page.pager}
        />
      )}
    </>
  );
}

/** The records of a list as its layout has them; undefined for a table. */
async function laidOut<Known extends Entity>(
  scope: Scope,
  known: Known,
  { kind, field = "" }: LaidOut,
  {
    page,
    request,
    columns,
    highlights,
  }: {
    page: ListPage<Known>;
    request: ListRequest;
    columns: Columns<Known>;
    highlights: ReadonlyMap<number, Highlight>;
  },
): Promise<Child | undefined> {
  const entity = known as unknown as Entity;
  const picture = pictureField(scope, entity);
  const layouts: Readonly<Record<LaidOut["kind"], () => Promise<Child | undefined> | undefined>> = {
    table: () => undefined,
    cards: async () => (
      <Cards
        scope={scope}
        rows={page.rows as unknown as Row[]}
        picture={picture}
        facts={cardFacts(scope, known, columns, [picture])}
        highlights={highlights}
      />
    ),
    board: async () => (
      <Board
        scope={scope}
        entity={known}
        board={await boardPage(scope, entity, request, field)}
        shown={columns}
        query={request.query}
      />
    ),
    tree: async () => (
      <Tree scope={scope} entity={entity} tree={await treePage(scope, entity, request, field)} />
    ),
    map: async () => mapOf(scope, entity, await mapPage(scope, entity, request, field)),
    calendar: () => calendarOf(scope, entity, request),
    report: () => reportOf(scope, entity, request),
  };
  return layouts[kind]();
}

/** The layouts that show what they have where a list finds no records, too. */
const shownEmpty: ReadonlySet<LaidOut["kind"]> = new Set(["calendar", "report"]);

/** A list: heading, search box, filters, table, pages. */
function ListFrame<Known extends Entity>({
  page,
  columns,
  chips,
  tabs,
  views,
  named,
  widths,
  layouts,
  layout,
  laidOut,
}: {
  page: ListPage<Known>;
  columns: Columns<Known>;
  chips: readonly Chip[];
  tabs: ListTabs | undefined;
  views: readonly KeptView[];
  /** Views of the model. */
  named: NonNullable<ListOptions<Known>["views"]>;
  widths: ReadonlyMap<unknown, number>;
  layouts: readonly LaidOut[];
  layout: LaidOut;
  /** The records as the layout has them; undefined for a table. */
  laidOut: Child | undefined;
}) {
  const { scope, request, narrowed, total } = page;
  const entity = page.entity as unknown as Entity;
  const path = encodeURI(entity.path);
  const { messages } = scope;
  const { headings, many } = scope.namesOf(entity);
  const adds = scope.offers("/new", entity);
  const changes = scope.linksOf(entity, "rows").filter(({ when }) => when?.(request.query) ?? true);
  const isTable = layout.kind === "table";
  return (
    <>
      <div class="heading">
        <h1>{headings}</h1>
        <div class="actions">
          <PageLinks scope={scope} entity={entity} on="list" at={path} query={request.query} />
        </div>
      </div>
      <Views scope={scope} entity={entity} views={views} named={named} query={request.query} />
      <div class="finding">
        {isSearched(entity) && <SearchBox page={page as unknown as ListPage} />}
        {filterable(scope, entity).length > 0 && (
          <a
            class="btn btn-outline-secondary"
            href={withQuery(encodeURI(panelPath(entity)), request.query, firstPage)}
            data-panel={path}
          >
            {messages.filter}
          </a>
        )}
        <a
          class="btn btn-outline-secondary"
          href={withQuery(`${path}/columns`, request.query, firstPage)}
        >
          {messages.columns}
        </a>
        <LayoutLinks
          scope={scope}
          entity={entity}
          layouts={layouts}
          chosen={layout}
          query={request.query}
        />
      </div>
      <Chips scope={scope} chips={chips} />
      {tabs && <Tabs page={page as unknown as ListPage} tabs={tabs} />}
      <p class="soft small" role="status">
        {totalText(scope, entity, total)}
        {request.search && messages.searchedFor(request.search)}
        {total.more && (
          <>
            {" · "}
            <a href={withQuery(path, request.query, { count: "all" })}>{messages.countAll}</a>
          </>
        )}
        {narrowed && (
          <>
            {" · "}
            <a href={path}>{messages.showAll}</a>
          </>
        )}
        {archiveChoice(entity, request.query) === "in use" &&
          (["all", "only"] as const).map((archived) => (
            <>
              {" · "}
              <a href={withQuery(path, request.query, { archived, ...firstPage })}>
                {messages.archivedToo[archived]}
              </a>
            </>
          ))}
        {isTable && hasNumbers(page, columns) && total.count > 0 && (
          <>
            {" · "}
            <TotalsLink page={page as unknown as ListPage} />
          </>
        )}
      </p>
      <div class="list">
        {total.count === 0 && !shownEmpty.has(layout.kind) ? (
          <p class="empty">
            {narrowed ? messages.noMatches(many) : messages.noRecords(many)}{" "}
            {!narrowed && adds && <a href={`${path}/new`}>{messages.makeFirst}</a>}
          </p>
        ) : (
          (laidOut ?? (
            <RecordTable
              page={page}
              columns={columns}
              widths={widths}
              sorts
              chosenFor={changes.length > 0 ? "rows" : undefined}
            />
          ))
        )}
        {isTable && changes.length > 0 && total.count > 0 && (
          <ManyForm page={page as unknown as ListPage} changes={changes} />
        )}
        {(isTable || layout.kind === "cards") && (
          <div class="below">
            <Pager scope={scope} path={path} query={request.query} pager={page.pager} />
            {total.count > pageSizes[0] && <PageSizes page={page as unknown as ListPage} />}
          </div>
        )}
      </div>
    </>
  );
}

/** Looks for words, within what the filters keep. */
function SearchBox({ page: { scope, entity, request } }: { page: ListPage }) {
  const { messages } = scope;
  const { many } = scope.namesOf(entity);
  const kept = [...request.query].filter(([name]) => name !== "search" && !isPlace(name));
  return (
    <search>
      <form class="search" method="get" action={encodeURI(entity.path)}>
        {kept.map(([name, value]) => (
          <input type="hidden" name={name} value={value} />
        ))}
        <label class="visually-hidden" for="search">
          {messages.searchIn(many)}
        </label>
        <input
          class="form-control"
          type="search"
          id="search"
          name="search"
          value={request.search}
          placeholder={messages.searchIn(many)}
        />
        <button class="btn btn-outline-secondary" type="submit">
          {messages.search}
        </button>
      </form>
    </search>
  );
}

function PageSizes({ page: { scope, entity, request } }: { page: ListPage }) {
  const { messages, format } = scope;
  return (
    <nav class="page-sizes" aria-label={messages.onPage}>
      <span>{messages.onPage}</span>
      {pageSizes.map((size) => (
        <a
          href={withQuery(encodeURI(entity.path), request.query, {
            size: size === pageSizes[0] ? undefined : String(size),
            ...firstPage,
          })}
          aria-current={size === request.size ? "true" : undefined}
        >
          {format.number(size)}
        </a>
      ))}
    </nav>
  );
}

/** Whether some column of a list holds numbers that can be totalled. */
function hasNumbers<Known extends Entity>(
  { scope, entity }: ListPage<Known>,
  columns: Columns<Known>,
): boolean {
  const known = entity as unknown as Entity;
  return columns.some((column) => {
    const field = typeof column === "string" ? known.fields[column] : undefined;
    return field && typeOf(field).numeric && !scope.isHidden(known, column as string);
  });
}

function TotalsLink({ page: { scope, entity, request, totals } }: { page: ListPage }) {
  const { messages } = scope;
  const href = withQuery(encodeURI(entity.path), request.query, {
    totals: totals ? undefined : "yes",
  });
  return <a href={href}>{totals ? messages.withoutTotals : messages.totals}</a>;
}

/** The choices of a field above a list, with the number of rows behind each. */
interface ListTabs {
  name: string;
  counts: readonly FacetValue[];
}

function Tabs({
  page: { scope, entity, request },
  tabs: { name, counts },
}: {
  page: ListPage;
  tabs: ListTabs;
}) {
  const { messages, format } = scope;
  const field = entity.fields[name];
  if (!field || counts.length === 0) return null;
  const parameter = filterParameter(name);
  const chosen = request.query.getAll(parameter);
  const tab = (value: string | undefined, label: string, count: string | undefined) => {
    const isChosen = value === undefined ? chosen.length === 0 : String(chosen) === value;
    const changes = { [parameter]: value, [`${parameter}.blank`]: undefined, ...firstPage };
    return (
      <a
        class="tab"
        href={withQuery(encodeURI(entity.path), request.query, changes)}
        aria-current={isChosen ? "true" : undefined}
      >
        {label} {count !== undefined && <span class="count">{count}</span>}
      </a>
    );
  };
  return (
    <nav class="tabs" aria-label={scope.translated(field.label)}>
      {tab(undefined, messages.allOf, undefined)}
      {counts.map(({ value, count, more }) =>
        tab(
          value,
          filterValue(scope, field, value, undefined),
          `${format.number(count)}${more ? "+" : ""}`,
        ),
      )}
    </nav>
  );
}

/** What can be done with the rows that are ticked, or with all that the list finds where none is. */
function ManyForm({
  page: { scope, entity, request, total },
  changes,
}: {
  page: ListPage;
  changes: readonly PageLink[];
}) {
  const { messages } = scope;
  const kept = [...request.query].filter(([name]) => !isPlace(name) && name !== "size");
  return (
    <form id="rows" class="many" method="get" action={encodeURI(entity.path)}>
      {kept.map(([name, value]) => (
        <input type="hidden" name={name} value={value} />
      ))}
      <span class="soft small">{messages.chosenRows(totalText(scope, entity, total))}</span>
      {changes.map((link) => (
        <button
          class="btn btn-outline-secondary btn-sm"
          type="submit"
          formaction={encodeURI(entity.path + link.path)}
        >
          {scope.textOf(link, entity)}
        </button>
      ))}
    </form>
  );
}
