import type { Context } from "hono";
import { fieldsKept, requireOn } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { address } from "../../entity/links.ts";
import { askedPage } from "../../http/asked-page.ts";
import { entriesOf } from "../../store/audit.ts";
import { numberedPager } from "../../store/list/pager.ts";
import { linksIn } from "../../store/log-links.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { LogTable } from "../../ui/log-table.tsx";
import { Pager } from "../../ui/pager.tsx";
import { askedRecord, type Feature, recordPart } from "../feature.ts";
import { showFormer } from "./former.tsx";

const onPage = 50;

/** The history of a record: who changed what of it, and when. */
export function history<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  return {
    links: [
      {
        on: "record",
        needs: "history",
        path: "/history",
        look: "secondary",
        text: (messages) => messages.history,
      },
      {
        on: "list",
        needs: "history",
        path: "/as-it-was",
        look: "secondary",
        text: (messages) => messages.asItWas,
      },
    ],
    routes: [
      {
        method: "GET",
        path: `${entity.path}/${recordPart}/history`,
        needs: { action: "history", entity },
        answer: (c, scope) => showHistory(c, scope, entity),
      },
      {
        method: "GET",
        path: `${entity.path}/as-it-was`,
        needs: { action: "history", entity },
        answer: (c, scope) => showFormer(c, scope, entity),
      },
    ],
  };
}

async function showHistory(c: Context, scope: Scope, entity: Entity) {
  const record = await askedRecord(c, scope, entity);
  if (!record) return c.notFound();
  await requireOn(scope, "history", entity, record.id);
  const { messages } = scope;
  const page = askedPage(c);
  const { total, entries } = await entriesOf(scope, {
    entity: entity.table,
    record: record.id,
    without: await fieldsKept(scope, "see", entity, record.id),
    offset: (page - 1) * onPage,
    limit: onPage,
  });
  const title = messages.historyOf(record.displayTitle);
  const content = (
    <>
      <Trail scope={scope} to={address(record)} label={record.displayTitle} />
      <h1>{title}</h1>
      {entries.length === 0 ? (
        <p class="empty">{messages.noHistory}</p>
      ) : (
        <LogTable scope={scope} entries={entries} links={await linksIn(scope, entries)} />
      )}
      <Pager
        scope={scope}
        path={`${address(record)}/history`}
        query={new URLSearchParams()}
        pager={numberedPager(page, Math.max(1, Math.ceil(total / onPage)))}
      />
    </>
  );
  return showPage(c, scope, content, { title });
}
