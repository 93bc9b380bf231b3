import type { Context } from "hono";
import { type KeptView, keepsViews, viewsOf } from "../../access/kept-views.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import type { PageLink } from "../../entity/page-link.ts";
import { typeOf } from "../../fields/types.ts";
import { choiceCounts, type FacetValue } from "../../store/list/facets.ts";
import { filterable, filterParameter } from "../../store/list/filters.ts";
import { groupingOf, isGroupable } from "../../store/list/groups.ts";
import { type ListPage, listPage } from "../../store/list/list.ts";
import { listRequest, pageSizes } from "../../store/list/request.ts";
import { isSearched } from "../../store/list/search.ts";
import { totalsOf } from "../../store/list/totals.ts";
import { showPage } from "../../ui/layout.tsx";
import { PageLinks } from "../../ui/page-links.tsx";
import { Pager } from "../../ui/pager.tsx";
import { type Columns, RecordTable } from "../../ui/table.tsx";
import type { Feature } from "../feature.ts";
import { chosenColumns, showColumns } from "./columns.tsx";
import { type Chip, Chips, chipsOf } from "./filter-chips.tsx";
import { panelPath, showPanel } from "./filter-panel.tsx";
import { filterValue } from "./filter-words.ts";
import { showViews, Views, viewSent, viewsPath } from "./views.tsx";

/** What a list has besides its columns. */
export interface ListOptions<Known extends Entity> {
  /** The field whose choices stand above the list as tabs. */
  tabs?: keyof Known["fields"] & string;
}

/** The list of an entity: searched, sorted, filtered and paged by its address. */
export function list<Known extends Entity>(
  entity: Known,
  columns: Columns<Known>,
  options: ListOptions<Known> = {},
): Feature {
  const known = entity as unknown as Entity;
  const needs = { action: "see", entity: known } as const;
  return {
    links: [
      {
        on: "menu",
        needs: "see",
        path: "",
        look: "secondary",
        text: (_, { headings }) => headings,
      },
    ],
    routes: [
      {
        method: "GET",
        path: entity.path,
        needs,
        answer: (c, scope) => {
          const { searchParams: query } = new URL(c.req.url);
          const clean = withoutBlanks(query);
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
    query,
  }: ListOptions<Known> & { columns: Columns<Known>; query: URLSearchParams },
) {
  const known = entity as unknown as Entity;
  const request = listRequest(query);
  const columns = chosenColumns(scope, entity, own, query);
  const page = await listPage(scope, entity, request);
  const chips = page.narrowed ? await chipsOf(scope, known, query) : [];
  const counts = tabs === undefined ? [] : await choiceCounts(scope, known, request, tabs);
  const names = columns.flatMap((column) => (typeof column === "string" ? [column] : []));
  const isTotalled = query.get("totals") === "yes" && page.total > 0;
  const totals = isTotalled ? await totalsOf(scope, known, request, names) : undefined;
  const grouping = isGroupable(scope, known, request.group)
    ? await groupingOf(scope, known, request, {
        field: request.group,
        rows: page.rows as unknown as Row[],
        columns: names,
      })
    : undefined;
  const content = (
    <ListFrame
      page={{ ...page, ...(totals && { totals }), ...(grouping && { grouping }) }}
      columns={columns}
      chips={chips}
      tabs={tabs === undefined ? undefined : { name: tabs, counts }}
      views={await viewsOf(scope, known)}
    />
  );
  return showPage(c, scope, content, { title: scope.namesOf(known).headings });
}

/** A list: heading, search box, filters, table, pages. */
function ListFrame<Known extends Entity>({
  page,
  columns,
  chips,
  tabs,
  views,
}: {
  page: ListPage<Known>;
  columns: Columns<Known>;
  chips: readonly Chip[];
  tabs: ListTabs | undefined;
  views: readonly KeptView[];
}) {
  const { scope, request, narrowed, total } = page;
  const entity = page.entity as unknown as Entity;
  const path = encodeURI(entity.path);
  const { messages, format } = scope;
  const { headings, one, many } = scope.namesOf(entity);
  const adds = scope.offers("/new", entity);
  const changes = scope.linksOf(entity, "rows");
  return (
    <>
      <div class="heading">
        <h1>{headings}</h1>
        <div class="actions">
          <PageLinks scope={scope} entity={entity} on="list" at={path} query={request.query} />
        </div>
      </div>
      {keepsViews(scope) && (
        <Views scope={scope} entity={entity} views={views} query={request.query} />
      )}
      <div class="finding">
        {isSearched(entity) && <SearchBox page={page as unknown as ListPage} />}
        {filterable(scope, entity).length > 0 && (
          <a
            class="btn btn-outline-secondary"
            href={withQuery(encodeURI(panelPath(entity)), request.query, { page: undefined })}
            data-panel={path}
          >
            {messages.filter}
          </a>
        )}
        <a
          class="btn btn-outline-secondary"
          href={withQuery(`${path}/columns`, request.query, { page: undefined })}
        >
          {messages.columns}
        </a>
      </div>
      <Chips scope={scope} chips={chips} />
      {tabs && <Tabs page={page as unknown as ListPage} tabs={tabs} />}
      <p class="soft small" role="status">
        {format.count(total, one, many)}
        {request.search && messages.searchedFor(request.search)}
        {narrowed && (
          <>
            {" · "}
            <a href={path}>{messages.showAll}</a>
          </>
        )}
        {hasNumbers(page, columns) && total > 0 && (
          <>
            {" · "}
            <TotalsLink page={page as unknown as ListPage} />
          </>
        )}
      </p>
      <div class="list">
        {total === 0 ? (
          <p class="empty">
            {narrowed ? messages.noMatches(many) : messages.noRecords(many)}{" "}
            {!narrowed && adds && <a href={`${path}/new`}>{messages.makeFirst}</a>}
          </p>
        ) : (
          <RecordTable
            page={page}
            columns={columns}
            sorts
            chosenFor={changes.length > 0 ? "rows" : undefined}
          />
        )}
        {changes.length > 0 && total > 0 && (
          <ManyForm page={page as unknown as ListPage} changes={changes} />
        )}
        <div class="below">
          <Pager
            scope={scope}
            path={path}
            query={request.query}
            page={page.page}
            pages={page.pages}
          />
          {total > pageSizes[0] && <PageSizes page={page as unknown as ListPage} />}
        </div>
      </div>
    </>
  );
}

/** Looks for words, within what the filters keep. */
function SearchBox({ page: { scope, entity, request } }: { page: ListPage }) {
  const { messages } = scope;
  const { many } = scope.namesOf(entity);
  const kept = [...request.query].filter(([name]) => name !== "search" && name !== "page");
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
            page: undefined,
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
  const tab = (value: string | undefined, label: string, count: number | undefined) => {
    const isChosen = value === undefined ? chosen.length === 0 : String(chosen) === value;
    const changes = { [parameter]: value, [`${parameter}.blank`]: undefined, page: undefined };
    return (
      <a
        class="tab"
        href={withQuery(encodeURI(entity.path), request.query, changes)}
        aria-current={isChosen ? "true" : undefined}
      >
        {label} {count !== undefined && <span class="count">{format.number(count)}</span>}
      </a>
    );
  };
  return (
    <nav class="tabs" aria-label={scope.translated(field.label)}>
      {tab(undefined, messages.allOf, undefined)}
      {counts.map(({ value, count }) =>
        tab(value, filterValue(scope, field, value, undefined), count),
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
  const { messages, format } = scope;
  const { one, many } = scope.namesOf(entity);
  const kept = [...request.query].filter(([name]) => name !== "page" && name !== "size");
  return (
    <form id="rows" class="many" method="get" action={encodeURI(entity.path)}>
      {kept.map(([name, value]) => (
        <input type="hidden" name={name} value={value} />
      ))}
      <span class="soft small">{messages.chosenRows(format.count(total, one, many))}</span>
      {changes.map(({ path, text }) => (
        <button
          class="btn btn-outline-secondary btn-sm"
          type="submit"
          formaction={encodeURI(entity.path + path)}
        >
          {text(messages, scope.namesOf(entity))}
        </button>
      ))}
    </form>
  );
}
