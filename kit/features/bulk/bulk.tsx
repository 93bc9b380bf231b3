import type { Context } from "hono";
import type { Child } from "hono/jsx";
import type { Action } from "../../access/action.ts";
import { Forbidden, type Scope } from "../../access/scope.ts";
import { digestOf } from "../../access/secrets.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address, withQuery } from "../../entity/links.ts";
import { type SentForm, sentForm, sentText } from "../../http/sent-form.ts";
import { everyId } from "../../store/list/every.ts";
import { listRequest } from "../../store/list/request.ts";
import { findAnyRow } from "../../store/select.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import type { Feature } from "../feature.ts";
import { changeableFields, changeOne, FieldChoice, fieldForm, ValueInput } from "./change.tsx";
import { deleteOne } from "./delete.ts";

/** Changes or deletes many records at once: those that were ticked in a list, or all that it finds. */
export function bulk<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  const path = (action: BulkAction) => `${entity.path}/bulk/${action}`;
  return {
    links: actions.map((action) => ({
      on: "rows" as const,
      needs: action,
      path: `/bulk/${action}`,
      look: "secondary" as const,
      text: (messages) => messages.manyActions[action],
    })),
    routes: actions.flatMap((action) => {
      const needs = { action: action as Action, entity };
      return [
        {
          method: "GET" as const,
          path: path(action),
          needs,
          answer: (c: Context, scope: Scope) =>
            ask(c, scope, entity, action, new URL(c.req.url).searchParams),
        },
        {
          method: "POST" as const,
          path: path(action),
          needs,
          answer: (c: Context, scope: Scope) => sent(c, scope, entity, action),
        },
      ];
    }),
  };
}

const actions = ["change", "delete"] as const;
export type BulkAction = (typeof actions)[number];

/** How many records are changed by one request. */
const mostAtOnce = 500;

/** The parameters of the page itself, which are none of the list. */
const own: ReadonlySet<string> = new Set(["id", "_field", "_those"]);

/** The records that somebody means: those that were ticked, or all that the list finds. */
async function meant(
  scope: Scope,
  entity: Entity,
  action: BulkAction,
  query: URLSearchParams,
): Promise<number[]> {
  const ticked = query
    .getAll("id")
    .slice(0, mostAtOnce)
    .filter((id) => /^\d{1,15}$/.test(id));
  const among = query.has("id") ? ticked.map(Number) : undefined;
  const list = new URLSearchParams([...query].filter(([name]) => !own.has(name)));
  return everyId(scope, entity, listRequest(list), action, among);
}

/** What tells some records from any others. */
function markOf(ids: readonly number[]): string {
  return digestOf([...ids].sort((one, other) => one - other).join());
}

/** Asks what to change, or whether to delete, and says how many records there are. */
async function ask(
  c: Context,
  scope: Scope,
  entity: Entity,
  action: BulkAction,
  query: URLSearchParams,
  wrong?: { message: string; typed?: SentForm },
) {
  const { messages, format } = scope;
  const { one, many } = scope.namesOf(entity);
  const ids = await meant(scope, entity, action, query);
  const count = format.count(ids.length, one, many);
  const title = messages.manyTitles[action](count);
  const fields = action === "change" ? changeableFields(scope, entity) : [];
  const name = query.get("_field") ?? "";
  const field = fields.includes(name) ? name : undefined;
  const kept = [...query].filter(([each]) => !own.has(each) || each === "id");
  const hidden = kept.map(([each, value]) => <input type="hidden" name={each} value={value} />);
  const back = withQuery(
    encodeURI(entity.path),
    new URLSearchParams(kept.filter(([each]) => each !== "id")),
    {},
  );
  let body: Child;
  if (ids.length === 0) body = <p>{messages.manyNone}</p>;
  else if (ids.length > mostAtOnce) body = <p>{messages.manyTooMany(format.number(mostAtOnce))}</p>;
  else if (action === "change" && field === undefined) {
    body = (
      <form method="get" class="sheet narrow-form">
        {hidden}
        <FieldChoice scope={scope} entity={entity} fields={fields} />
        <button class="btn btn-primary" type="submit">
          {messages.goOn}
        </button>
      </form>
    );
  } else {
    const form = field && (await fieldForm(scope, entity, field, wrong?.typed));
    body = (
      <form method="post" class="sheet narrow-form">
        <input type="hidden" name="_those" value={markOf(ids)} />
        {form && <ValueInput form={form} name={field} />}
        <button class={`btn ${action === "delete" ? "btn-danger" : "btn-primary"}`} type="submit">
          {messages.manyTitles[action](count)}
        </button>
        <a class="btn btn-link" href={back}>
          {messages.cancel}
        </a>
      </form>
    );
  }
  const page = (
    <>
      <Trail scope={scope} to={back} label={scope.namesOf(entity).headings} />
      <h1>{title}</h1>
      {wrong && (
        <div class="alert alert-danger" role="alert">
          {wrong.message}
        </div>
      )}
      {body}
    </>
  );
  return showPage(c, scope, page, { title, status: wrong ? 409 : 200 });
}

/** What wasn't changed, and why. */
interface Refusal {
  row: Row;
  why: string;
}

async function sent(c: Context, scope: Scope, entity: Entity, action: BulkAction) {
  const data = await sentForm(c);
  const query = new URL(c.req.url).searchParams;
  const field = query.get("_field") ?? "";
  if (action === "change" && !changeableFields(scope, entity).includes(field)) return c.notFound();
  const ids = await meant(scope, entity, action, query);
  // Those that somebody agreed to, or they are asked again.
  if (markOf(ids) !== sentText(data, "_those") || ids.length > mostAtOnce) {
    const message = scope.messages.manyOthers;
    return ask(c, scope, entity, action, query, { message, typed: data });
  }
  const refused: Refusal[] = [];
  let done = 0;
  for (const id of ids) {
    const row = await findAnyRow(scope, entity, id);
    if (!row) continue;
    const why = await (action === "delete"
      ? deleteOne(scope, entity, row)
      : changeOne(scope, entity, row, { field, data })
    ).catch((error) => {
      if (error instanceof Forbidden) return scope.messages.mayNotChange;
      throw error;
    });
    if (why === undefined) done++;
    else refused.push({ row, why });
  }
  return showResult(c, scope, entity, action, { done, refused });
}

function showResult(
  c: Context,
  scope: Scope,
  entity: Entity,
  action: BulkAction,
  { done, refused }: { done: number; refused: readonly Refusal[] },
) {
  const { messages, format } = scope;
  const { one, many, headings } = scope.namesOf(entity);
  const title = messages.manyDone[action](format.count(done, one, many));
  const page = (
    <>
      <Trail scope={scope} to={encodeURI(entity.path)} label={headings} />
      <h1>{title}</h1>
      {refused.length > 0 && (
        <section class="sheet">
          <h2>{messages.manyRefused(format.count(refused.length, one, many))}</h2>
          <ul>
            {refused.map(({ row, why }) => (
              <li>
                <a href={address(row)}>{row.displayTitle}</a>: {why}
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
  return showPage(c, scope, page, { title });
}
