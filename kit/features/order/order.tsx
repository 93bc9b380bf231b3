import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address, withQuery } from "../../entity/links.ts";
import { sentForm, sentText } from "../../http/sent-form.ts";
import { putBeside } from "../../store/by-hand.ts";
import { listPage } from "../../store/list/list.ts";
import { listRequest } from "../../store/list/request.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { Pager } from "../../ui/pager.tsx";
import type { Feature } from "../feature.ts";

/** The page on which people put the records of a list in order. */
export function order<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  const path = `${entity.path}/order`;
  const needs = { action: "change", entity } as const;
  return {
    links: [
      {
        on: "list",
        needs: "change",
        path: "/order",
        keepsQuery: true,
        look: "secondary",
        text: (messages) => messages.putInOrder,
      },
    ],
    routes: [
      { method: "GET", path, needs, answer: (c, scope) => show(c, scope, entity) },
      { method: "POST", path, needs, answer: (c, scope) => sent(c, scope, entity) },
    ],
  };
}

/** How many records the page shows at once. */
const size = 100;

async function show(c: Context, scope: Scope, entity: Entity, status: 200 | 409 = 200) {
  const { messages } = scope;
  const query = new URLSearchParams(new URL(c.req.url).search);
  // Their own order, in which they are put.
  for (const name of ["sort", "group"]) query.delete(name);
  const page = await listPage(scope, entity, { ...listRequest(query), size });
  const rows = page.rows as unknown as Row[];
  const { headings, many } = scope.namesOf(entity);
  const title = messages.orderOf(many);
  const list = withQuery(encodeURI(entity.path), query, {});
  const content = (
    <>
      <Trail scope={scope} to={list} label={headings} />
      <h1>{title}</h1>
      {status === 409 && (
        <div class="alert alert-danger" role="alert">
          {messages.manyOthers}
        </div>
      )}
      <p class="soft">{messages.orderHow}</p>
      <ol class="by-hand" data-order start={(page.pager.page ?? 1) * size - size + 1}>
        {rows.map((row, at) => (
          <Line scope={scope} row={row} before={rows[at - 1]} behind={rows[at + 1]} />
        ))}
      </ol>
      <Pager
        scope={scope}
        path={`${encodeURI(entity.path)}/order`}
        query={query}
        pager={page.pager}
      />
    </>
  );
  return showPage(c, scope, content, { title, status });
}

function Line({
  scope,
  row,
  before,
  behind,
}: {
  scope: Scope;
  row: Row;
  before: Row | undefined;
  behind: Row | undefined;
}) {
  const { messages } = scope;
  const step = (name: "before" | "after", beside: Row | undefined, sign: string, words: string) => (
    <button
      class="btn btn-outline-secondary btn-sm"
      type="submit"
      name={name}
      value={beside ? String(beside.id) : ""}
      disabled={!beside}
      aria-label={words}
    >
      {sign}
    </button>
  );
  return (
    <li data-record={row.id}>
      <form method="post">
        <input type="hidden" name="record" value={String(row.id)} />
        {step("before", before, "↑", messages.moveUp(row.displayTitle))}
        {step("after", behind, "↓", messages.moveDown(row.displayTitle))}
      </form>
      <a href={address(row)}>{row.displayTitle}</a>
    </li>
  );
}

async function sent(c: Context, scope: Scope, entity: Entity) {
  const data = await sentForm(c);
  const number = (name: string) => {
    const text = sentText(data, name);
    return /^\d{1,15}$/.test(text) ? Number(text) : undefined;
  };
  const [id, before, after] = [number("record"), number("before"), number("after")];
  const place = before !== undefined ? { before } : after !== undefined ? { after } : undefined;
  if (id === undefined || !place) return c.notFound();
  const isPut = await putBeside(scope, entity, id, place);
  const { pathname, search } = new URL(c.req.url);
  return isPut ? c.redirect(pathname + search, 303) : show(c, scope, entity, 409);
}
