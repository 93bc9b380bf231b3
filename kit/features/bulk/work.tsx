import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { findWork, type Refusal, stopWork, type Work } from "../../store/work.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import type { Route } from "../feature.ts";
import type { BulkAction } from "./actions.ts";

/** The page of work on many records that goes on in the background, and the way to stop it. */
export function workRoutes(entity: Entity): Route[] {
  const needs = { action: "see" as const, entity };
  const path = `${entity.path}/bulk/work/:work`;
  return [
    { method: "GET", path, needs, answer: (c, scope) => show(c, scope, entity) },
    {
      method: "POST",
      path,
      needs,
      answer: async (c, scope) => {
        await stopWork(scope, entity, c.req.param("work") ?? "");
        return c.redirect(new URL(c.req.url).pathname, 303);
      },
    },
  ];
}

async function show(c: Context, scope: Scope, entity: Entity) {
  const work = await findWork(scope, entity, c.req.param("work") ?? "");
  if (!work) return c.notFound();
  const { messages, format } = scope;
  const { one, many, headings } = scope.namesOf(entity);
  const { total, tried, refused, state } = work;
  const goesOn = state === "running" || state === "stopping";
  const verb = work.action as BulkAction;
  const title = goesOn
    ? messages.manyTitles[verb](format.count(total, one, many))
    : messages.manyDone[verb](format.count(tried - refused, one, many));
  const page = (
    <>
      <Trail scope={scope} to={encodeURI(entity.path)} label={headings} />
      <h1>{title}</h1>
      {goesOn && <Progress scope={scope} work={work} />}
      {!goesOn && tried < total && (
        <p class="alert alert-warning">
          {messages.workStates[state]}. {messages.workLeft(format.count(total - tried, one, many))}
        </p>
      )}
      {refused > 0 && (
        <Refusals scope={scope} entity={entity} refused={refused} refusals={work.refusals} />
      )}
    </>
  );
  // The page looks again by itself, with scripts and without.
  if (goesOn) c.header("Refresh", "2");
  return showPage(c, scope, page, { title });
}

function Progress({ scope, work: { state, tried, total } }: { scope: Scope; work: Work }) {
  const { messages, format } = scope;
  return (
    <form method="post" class="sheet narrow-form">
      <label for="progress">{messages.workStates[state]}</label>
      <progress id="progress" max={total} value={tried}></progress>
      <p role="status">{messages.workTried(format.number(tried), format.number(total))}</p>
      {state === "running" && (
        <button class="btn btn-secondary" type="submit">
          {messages.workStop}
        </button>
      )}
    </form>
  );
}

/** The records that were left as they were, with the reasons. */
export function Refusals({
  scope,
  entity,
  refused,
  refusals,
}: {
  scope: Scope;
  entity: Entity;
  refused: number;
  refusals: readonly Refusal[];
}) {
  const { messages, format } = scope;
  const { one, many } = scope.namesOf(entity);
  return (
    <section class="sheet">
      <h2>{messages.manyRefused(format.count(refused, one, many))}</h2>
      <ul>
        {refusals.map(({ id, title, why }) => (
          <li>
            <a href={`${encodeURI(entity.path)}/${id}`}>{title}</a>: {why}
          </li>
        ))}
        {refused > refusals.length && (
          <li>{messages.moreRefused(format.number(refused - refusals.length))}</li>
        )}
      </ul>
    </section>
  );
}
