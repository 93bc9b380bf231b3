import type { Entity } from "../../entity/entity.ts";
import { typeOf } from "../../fields/types.ts";
import { type ListPage, listPage, listRequest } from "../../store/list.ts";
import { showPage } from "../../ui/layout.tsx";
import { PageLinks } from "../../ui/page-links.tsx";
import { Pager } from "../../ui/pager.tsx";
import { type Columns, RecordTable } from "../../ui/table.tsx";
import type { Feature } from "../feature.ts";

/** The list of an entity: searched, sorted, filtered and paged by its address. */
export function list<Known extends Entity>(entity: Known, columns: Columns<Known>): Feature {
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
        needs: { action: "see", entity: entity as unknown as Entity },
        answer: async (c, scope) => {
          const request = listRequest(new URL(c.req.url).searchParams);
          const page = await listPage(scope, entity, request);
          return showPage(c, scope, <ListFrame page={page} columns={columns} />, {
            title: scope.namesOf(entity as unknown as Entity).headings,
          });
        },
      },
    ],
  };
}

/** A list: heading, search box, table, pages. */
function ListFrame<Known extends Entity>({
  page,
  columns,
}: {
  page: ListPage<Known>;
  columns: Columns<Known>;
}) {
  const { scope, request, narrowed, total } = page;
  const entity = page.entity as unknown as Entity;
  const { path, fields } = entity;
  const { messages, format } = scope;
  const { headings, one, many } = scope.namesOf(entity);
  const adds = scope.offers("/new", entity);
  const searchable = Object.values(fields).some((field) => typeOf(field).searched);
  return (
    <>
      <div class="heading">
        <h1>{headings}</h1>
        <div class="actions">
          <PageLinks scope={scope} entity={entity} on="list" at={path} />
        </div>
      </div>
      {searchable && (
        <search>
          <form class="search" method="get" action={path}>
            {request.sort && <input type="hidden" name="sort" value={request.sort} />}
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
      )}
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
      {total === 0 ? (
        <p class="empty">
          {narrowed ? messages.noMatches(many) : messages.noRecords(many)}{" "}
          {!narrowed && adds && <a href={`${path}/new`}>{messages.makeFirst}</a>}
        </p>
      ) : (
        <RecordTable page={page} columns={columns} sorts />
      )}
      <Pager scope={scope} path={path} query={request.query} page={page.page} pages={page.pages} />
    </>
  );
}
