import type { Context } from "hono";
import { requireOn } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address } from "../../entity/links.ts";
import { sentForm, sentSubmission, sentText, sentVersion } from "../../http/sent-form.ts";
import type { Messages } from "../../messages/en.ts";
import { partsOf, type ReferencingRecords, referencedBy } from "../../store/referenced-by.ts";
import { type NotRemoved, removeSubmission } from "../../store/remove.ts";
import { findAnyRow } from "../../store/select.ts";
import { newToken, sentBefore } from "../../store/submissions.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { References } from "../../ui/references-list.tsx";
import { askedRecord, type Feature, recordPart } from "../feature.ts";
import { leave } from "../leave.ts";

/** The page that asks before a record is deleted, and the deletion. */
export function remove<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  const path = `${entity.path}/${recordPart}/delete`;
  const needs = { action: "delete", entity } as const;
  return {
    links: [
      {
        on: "record",
        needs: "delete",
        path: "/delete",
        look: "danger",
        text: (messages) => messages.delete,
      },
    ],
    routes: [
      {
        method: "GET",
        path,
        needs,
        answer: async (c, scope) => {
          const record = await askedRecord(c, scope, entity);
          if (!record) return c.notFound();
          await requireOn(scope, "delete", entity, record.id);
          return ask(c, scope, entity, record, 200);
        },
      },
      { method: "POST", path, needs, answer: (c, scope) => removeSent(c, scope, entity) },
    ],
  };
}

async function removeSent(c: Context, scope: Scope, entity: Entity) {
  const data = await sentForm(c);
  const submission = sentSubmission(c, data);
  const row = await askedRecord(c, scope, entity);
  if (!row) {
    const before = await sentBefore(scope.db, submission);
    return before ? leave(c, { token: submission.token, outcome: before }) : c.notFound();
  }
  const title = row.displayTitle.slice(0, 200);
  const outcome = {
    href: encodeURI(entity.path),
    text: scope.messages.deleted(scope.namesOf(entity).heading, title),
  };
  const removal = { row, version: sentVersion(data), parts: sentText(data, "_parts") };
  const result = await removeSubmission(scope, entity, removal, { submission, outcome });
  if ("token" in result) return leave(c, result);
  const { refused } = result;
  const now = await findAnyRow(scope, entity, row.id).catch(() => row);
  return now
    ? ask(c, scope, entity, now, refused in scope.messages.troubles ? 503 : 409, refused)
    : c.notFound();
}

async function ask(
  c: Context,
  scope: Scope,
  entity: Entity,
  record: Row,
  status: 200 | 409 | 503,
  why?: NotRemoved,
) {
  const references = await referencedBy(scope, entity, record.id);
  const page = (
    <DeletePage scope={scope} entity={entity} record={record} references={references} why={why} />
  );
  const title = scope.messages.deleteRecord(record.displayTitle);
  return showPage(c, scope, page, { title, status });
}

/** Why a record wasn't deleted, in words. */
function refusal(messages: Messages, why: NotRemoved): string {
  const own = {
    "in use": messages.inUse,
    "parts in use": messages.partsInUse,
    changed: messages.changedMeanwhile,
  };
  return { ...messages.troubles, ...own }[why];
}

/** Asks before a record is deleted, or says what blocks it. */
function DeletePage({
  scope,
  entity,
  record,
  references,
  why,
}: {
  scope: Scope;
  entity: Entity;
  record: Row;
  references: readonly ReferencingRecords[];
  /** Why it wasn't deleted. */
  why?: NotRemoved | undefined;
}) {
  const { messages } = scope;
  const { heading, headings } = scope.namesOf(entity);
  const { displayTitle, version } = record;
  const here = address(record);
  const blocking = references.filter(({ cascades }) => !cascades);
  const going = references.filter(({ cascades }) => cascades);
  return (
    <>
      <Trail scope={scope} to={entity.path} label={headings} />
      <h1>
        {messages.deleteQuestion} <span class="kind">{heading}</span> {displayTitle}?
      </h1>
      {blocking.length > 0 ? (
        <>
          <div class="alert alert-warning" role="alert">
            <p>
              <strong>{messages.cantDelete(displayTitle)}</strong> {messages.changeFirst}
            </p>
            <References scope={scope} to={blocking} />
          </div>
          <div class="buttons">
            <a class="btn btn-primary" href={here}>
              {messages.backTo(displayTitle)}
            </a>
            {scope.offers("/merge", entity) && scope.may("change", entity) && (
              <a class="btn btn-outline-secondary" href={`${here}/merge?goes=yes`}>
                {messages.merge.moveInstead}
              </a>
            )}
            {entity.archive && scope.may("change", entity) && (
              <a class="btn btn-outline-secondary" href={`${here}/archive`}>
                {messages.archiveLink}
              </a>
            )}
          </div>
        </>
      ) : (
        <form method="post">
          <input type="hidden" name="_version" value={version} />
          <input type="hidden" name="_parts" value={partsOf(references)} />
          <input type="hidden" name="_token" value={newToken()} />
          {why && (
            <div class="alert alert-danger" role="alert">
              <strong>{messages.notDeleted}</strong> {refusal(messages, why)}{" "}
              <a href={here}>{messages.backTo(displayTitle)}</a>
            </div>
          )}
          {going.length > 0 && (
            <div class="alert alert-warning">
              <p>{messages.partsGo}</p>
              <References scope={scope} to={going} />
            </div>
          )}
          <p>{messages.cantBeUndone}</p>
          <button class="btn btn-danger" type="submit">
            {messages.delete}
          </button>{" "}
          <a class="btn btn-link" href={here}>
            {messages.cancel}
          </a>
        </form>
      )}
    </>
  );
}
