import type { Context } from "hono";
import { allowedAmong } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { newDraft } from "../../store/drafts.ts";
import { listPage } from "../../store/list/list.ts";
import { listRequest } from "../../store/list/request.ts";
import { offersOf } from "../../store/offers.ts";
import type { Columns } from "../../ui/columns.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { Pager } from "../../ui/pager.tsx";
import { totalText } from "../../ui/total.ts";
import type { Feature } from "../feature.ts";
import { chosenColumns } from "../list/columns.tsx";
import { GridHeadings, GridRow, gridColumns, NewRow } from "./rows.tsx";
import { rowsSent } from "./sent-rows.tsx";

/** The rows of a list as a grid, whose cells are typed into. */
export function grid<Known extends Entity>(known: Known, columns: Columns<Known>): Feature {
  const entity = known as unknown as Entity;
  const path = `${entity.path}/grid`;
  const needs = { action: "change", entity } as const;
  const columnsIn = (c: Context, scope: Scope) => {
    const { searchParams } = new URL(c.req.url);
    return gridColumns(scope, known, chosenColumns(scope, known, columns, searchParams));
  };
  return {
    links: [
      {
        on: "list",
        needs: "change",
        path: "/grid",
        keepsQuery: true,
        look: "secondary",
        text: ({ editInGrid }) => editInGrid,
      },
    ],
    routes: [
      {
        method: "GET",
        path,
        needs,
        answer: (c, scope) => showGrid(c, scope, entity, columnsIn(c, scope)),
      },
      {
        method: "POST",
        path,
        needs,
        answer: (c, scope) => rowsSent(c, scope, entity, columnsIn(c, scope)),
      },
      {
        method: "GET",
        path: `${path}/offers`,
        needs,
        answer: async (c, scope) =>
          c.json(
            await offersOf(scope, entity, c.req.query("field") ?? "", c.req.query("words") ?? ""),
          ),
      },
    ],
  };
}

async function showGrid(
  c: Context,
  scope: Scope,
  entity: Entity,
  columns: ReturnType<typeof gridColumns>,
) {
  const { searchParams: query } = new URL(c.req.url);
  const page = await listPage(scope, entity, listRequest(query));
  const rows = page.rows as unknown as Row[];
  const ids = rows.map(({ id }) => id);
  const changeable = await allowedAmong(scope, "change", entity, ids);
  const { messages } = scope;
  const { headings, many } = scope.namesOf(entity);
  const path = encodeURI(entity.path);
  const title = messages.gridOf(many);
  const starts = scope.may("add", entity)
    ? (await newDraft(scope, entity, new Map())).typed
    : undefined;
  const content = (
    <>
      <Trail scope={scope} to={withQuery(path, query, {})} label={headings} />
      <h1>{title}</h1>
      <noscript>
        <p class="alert alert-warning">{messages.gridNeedsScripts}</p>
      </noscript>
      <p class="soft small">{messages.gridHelp}</p>
      <div
        class="grid"
        data-grid={withQuery(`${path}/grid`, query, {})}
        data-offers={`${path}/grid/offers`}
        data-words={JSON.stringify(messages.gridWords)}
      >
        <div class="grid-tools">
          {(["undo", "redo", "fill"] as const).map((tool) => (
            <button class="btn btn-outline-secondary btn-sm" type="button" data-tool={tool}>
              {messages.gridTools[tool]}
            </button>
          ))}
          <span class="soft small" data-state />
          <span class="grid-note small" role="status" data-note />
        </div>
        <section class="table-responsive grid-scroll" aria-label={title}>
          <table class="table" aria-label={title}>
            <GridHeadings scope={scope} entity={entity} columns={columns} />
            <tbody>
              {rows.map((row) => (
                <GridRow
                  scope={scope}
                  columns={columns}
                  row={row}
                  isFixed={!changeable.has(row.id)}
                />
              ))}
            </tbody>
          </table>
        </section>
        {starts && (
          <template data-new-row>
            <NewRow scope={scope} columns={columns} starts={starts} />
          </template>
        )}
      </div>
      <div class="below">
        <Pager scope={scope} path={`${path}/grid`} query={query} pager={page.pager} />
        <span class="soft small">{totalText(scope, entity, page.total)}</span>
      </div>
    </>
  );
  return showPage(c, scope, content, { title });
}
