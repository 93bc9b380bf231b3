import type { Context } from "hono";
import type { Child } from "hono/jsx";
import { Forbidden, type Scope } from "../../access/scope.ts";
import { digestOf } from "../../access/secrets.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { type SentForm, sentForm, sentText } from "../../http/sent-form.ts";
import { everyId } from "../../store/list/every.ts";
import { listRequest } from "../../store/list/request.ts";
import { findAnyRow } from "../../store/select.ts";
import { beginWork, type Refusal, type Task } from "../../store/work.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import type { Feature } from "../feature.ts";
import { takeNamed } from "../form/named-records.ts";
import { actionsOf, type BulkAction, needed } from "./actions.ts";
import { archiveOne } from "./archive.ts";
import { changeableFields, changeOne, FieldChoice, fieldForm, ValueInput } from "./change.tsx";
import { deleteOne } from "./delete.ts";
import { Refusals, workRoutes } from "./work.tsx";

/** Changes or deletes many records at once: those that were ticked in a list, or all that it finds. */
export function bulk<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  const own = actionsOf(entity);
  const path = (action: BulkAction) => `${entity.path}/bulk/${action}`;
  return {
    links: own.map((action) => ({
      on: "rows" as const,
      needs: needed[action],
      ...(action === "restore" && { when: (query: URLSearchParams) => query.has("archived") }),
      path: `/bulk/${action}`,
      look: "secondary" as const,
      text: (messages) => messages.manyActions[action],
    })),
    routes: [
      ...workRoutes(entity),
      ...own.flatMap((action) => {
        const needs = { action: needed[action], entity };
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
    ],
  };
}

/** How many records are changed while the request waits; and how many in the background. */
const mostAtOnce = 500;
const mostInBackground = 100_000;

/** The parameters of the page itself, which are none of the list. */
const ownParameters: ReadonlySet<string> = new Set(["id", "_field", "_those"]);

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
  const list = new URLSearchParams([...query].filter(([name]) => !ownParameters.has(name)));
  return everyId(scope, entity, listRequest(list), needed[action], among);
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
  const kept = [...query].filter(([each]) => !ownParameters.has(each) || each === "id");
  const hidden = kept.map(([each, value]) => <input type="hidden" name={each} value={value} />);
  const back = withQuery(
    encodeURI(entity.path),
    new URLSearchParams(kept.filter(([each]) => each !== "id")),
    {},
  );
  let body: Child;
  if (ids.length === 0) body = <p>{messages.manyNone}</p>;
  else if (ids.length > mostInBackground) {
    body = <p>{messages.manyTooMany(format.number(mostInBackground))}</p>;
  } else if (action === "change" && field === undefined) {
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
        {ids.length > mostAtOnce && <p>{messages.manyInBackground}</p>}
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

async function sent(c: Context, scope: Scope, entity: Entity, action: BulkAction) {
  const data = await sentForm(c);
  const query = new URL(c.req.url).searchParams;
  const field = query.get("_field") ?? "";
  if (action === "change" && !changeableFields(scope, entity).includes(field)) return c.notFound();
  const ids = await meant(scope, entity, action, query);
  // Those that somebody agreed to, or they are asked again.
  if (markOf(ids) !== sentText(data, "_those") || ids.length > mostInBackground) {
    const message = scope.messages.manyOthers;
    return ask(c, scope, entity, action, query, { message, typed: data });
  }
  const unknown =
    action === "change" ? (await takeNamed(scope, entity, data)).get(field) : undefined;
  if (unknown !== undefined) {
    return ask(c, scope, entity, action, query, { message: unknown, typed: data });
  }
  const task: Task = {
    action,
    ids,
    one: async (at, id) => {
      const row = await findAnyRow(at, entity, id);
      if (!row) return "gone";
      const why = await doOne[action](at, entity, row, { field, data }).catch((error) => {
        if (error instanceof Forbidden) return scope.messages.mayNotChange;
        throw error;
      });
      return why === undefined ? "done" : { id, title: row.displayTitle, why };
    },
  };
  if (ids.length <= mostAtOnce) return showResult(c, scope, entity, task);
  const work = await beginWork(scope, entity, task);
  if (work) return c.redirect(`${encodeURI(entity.path)}/bulk/work/${work}`, 303);
  return ask(c, scope, entity, action, query, { message: scope.messages.manyBusy, typed: data });
}

/** What is done with one of many records; gives why it wasn't. */
const doOne: Readonly<
  Record<
    BulkAction,
    (
      scope: Scope,
      entity: Entity,
      row: Row,
      asked: { field: string; data: SentForm },
    ) => Promise<string | undefined>
  >
> = {
  change: changeOne,
  archive: (scope, entity, row) => archiveOne(scope, entity, row, true),
  restore: (scope, entity, row) => archiveOne(scope, entity, row, false),
  delete: deleteOne,
};

/** Does it while the request waits, and says what came of it. */
async function showResult(c: Context, scope: Scope, entity: Entity, { action, ids, one }: Task) {
  const refusals: Refusal[] = [];
  let done = 0;
  for (const id of ids) {
    const came = await one(scope, id);
    if (came === "done") done++;
    else if (came !== "gone") refusals.push(came);
  }
  const names = scope.namesOf(entity);
  const count = scope.format.count(done, names.one, names.many);
  const title = scope.messages.manyDone[action as BulkAction](count);
  const page = (
    <>
      <Trail scope={scope} to={encodeURI(entity.path)} label={names.headings} />
      <h1>{title}</h1>
      {refusals.length > 0 && (
        <Refusals scope={scope} entity={entity} refused={refusals.length} refusals={refusals} />
      )}
    </>
  );
  return showPage(c, scope, page, { title });
}
