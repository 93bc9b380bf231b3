import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { filterable } from "../../store/list/filters.ts";
import { type ListPage, listPage } from "../../store/list/list.ts";
import { listRequest, pageSizes } from "../../store/list/request.ts";
import { isSearched } from "../../store/list/search.ts";
import { showPage } from "../../ui/layout.tsx";
import { PageLinks } from "../../ui/page-links.tsx";
import { Pager } from "../../ui/pager.tsx";
import { type Columns, RecordTable } from "../../ui/table.tsx";
import type { Feature } from "../feature.ts";
import { type Chip, Chips, chipsOf } from "./filter-chips.tsx";
import { panelPath, showPanel } from "./filter-panel.tsx";

/** The list of an entity: searched, sorted, filtered and paged by its address. */
export function list<Known extends Entity>(entity: Known, columns: Columns<Known>): Feature {
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
          return showList(c, scope, entity, columns, query);
        },
      },
      {
        method: "GET",
        path: panelPath(known),
        needs,
        answer: (c, scope) => showPanel(c, scope, known),
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
  columns: Columns<Known>,
  query: URLSearchParams,
) {
  const known = entity as unknown as Entity;
  const page = await listPage(scope, entity, listRequest(query));
  const chips = page.narrowed ? await chipsOf(scope, known, query) : [];
  const content = <ListFrame page={page} columns={columns} chips={chips} />;
  return showPage(c, scope, content, { title: scope.namesOf(known).headings });
}

/** A list: heading, search box, filters, table, pages. */
function ListFrame<Known extends Entity>({
  page,
  columns,
  chips,
}: {
  page: ListPage<Known>;
  columns: Columns<Known>;
  chips: readonly Chip[];
}) {
  const { scope, request, narrowed, total } = page;
  const entity = page.entity as unknown as Entity;
  const path = encodeURI(entity.path);
  const { messages, format } = scope;
  const { headings, one, many } = scope.namesOf(entity);
  const adds = scope.offers("/new", entity);
  return (
    <>
      <div class="heading">
        <h1>{headings}</h1>
        <div class="actions">
          <PageLinks scope={scope} entity={entity} on="list" at={path} query={request.query} />
        </div>
      </div>
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
      </div>
      <Chips scope={scope} chips={chips} />
      <p class="soft small" role="status">
        {format.count(total, one, many)}
        {request.search && messages.searchedFor(request.search)}
        {narrowed && (
          <>
            {" · "}
            <a href={path}>{messages.showAll}</a>
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
          <RecordTable page={page} columns={columns} sorts />
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
