import type { Context } from "hono";
import { requireOn } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address } from "../../entity/links.ts";
import { sentForm, sentText, sentVersion } from "../../http/sent-form.ts";
import { archivedAt } from "../../store/archive.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { archiveOne } from "../bulk/archive.ts";
import { askedRecord, type Feature, recordPart } from "../feature.ts";

/** Archives records: lists and lookups leave them out, and what refers to them goes on showing them. Or brings them back. */
export function archive<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  const path = `${entity.path}/${recordPart}/archive`;
  const needs = { action: "change", entity } as const;
  return {
    links: [
      {
        on: "record",
        needs: "change",
        path: "/archive",
        look: "secondary",
        text: (messages) => messages.archiveLink,
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
          await requireOn(scope, "change", entity, record.id);
          return ask(c, scope, entity, record);
        },
      },
      { method: "POST", path, needs, answer: (c, scope) => sent(c, scope, entity) },
    ],
  };
}

async function sent(c: Context, scope: Scope, entity: Entity) {
  const data = await sentForm(c);
  const row = await askedRecord(c, scope, entity);
  if (!row) return c.notFound();
  const archives = sentText(data, "_archived") === "yes";
  const isDone = (archivedAt(entity, row) !== undefined) === archives;
  // What was sent twice is done once.
  if (isDone) return c.redirect(address(row), 303);
  const seen = sentVersion(data) === row.version;
  const why = seen
    ? await archiveOne(scope, entity, row, archives)
    : scope.messages.changedMeanwhile;
  return why === undefined ? c.redirect(address(row), 303) : ask(c, scope, entity, row, why);
}

function ask(c: Context, scope: Scope, entity: Entity, record: Row, wrong?: string) {
  const { messages } = scope;
  const { heading } = scope.namesOf(entity);
  const isArchived = archivedAt(entity, record) !== undefined;
  const title = isArchived
    ? messages.bringBackTitle(record.displayTitle)
    : messages.archiveTitle(record.displayTitle);
  const page = (
    <>
      <Trail scope={scope} to={address(record)} label={`${heading} ${record.displayTitle}`} />
      <h1>{title}</h1>
      {wrong && (
        <div class="alert alert-danger" role="alert">
          {wrong}
        </div>
      )}
      <p>{isArchived ? messages.bringBackMeans : messages.archiveMeans}</p>
      <form method="post">
        <input type="hidden" name="_version" value={String(record.version)} />
        <input type="hidden" name="_archived" value={isArchived ? "no" : "yes"} />
        <button class="btn btn-primary" type="submit">
          {isArchived ? messages.bringBack : messages.archive}
        </button>
        <a class="btn btn-link" href={address(record)}>
          {messages.cancel}
        </a>
      </form>
    </>
  );
  return showPage(c, scope, page, { title, status: wrong ? 409 : 200 });
}
