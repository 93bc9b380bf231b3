import type { Context } from "hono";
import type { Feature } from "../features/feature.ts";
import { askedPage } from "../http/asked-page.ts";
import { entriesOf } from "../store/audit.ts";
import { numberedPager } from "../store/list/pager.ts";
import { linksIn } from "../store/log-links.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { LogTable } from "../ui/log-table.tsx";
import { Pager } from "../ui/pager.tsx";
import { logPath, peoplePath } from "./addresses.ts";
import { PlainInput, PlainSelect } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";

const onPage = 50;

/** The audit log: who did what, and when. For administrators. */
export const log: Feature = {
  routes: [{ method: "GET", path: logPath, needs: "administrator", answer: showLog }],
};

async function showLog(c: Context, scope: Scope) {
  const { messages, format } = scope;
  const query = new URL(c.req.url).searchParams;
  const page = askedPage(c);
  const who = (query.get("who") ?? "").trim().slice(0, 120);
  const entity = scope.entities.ofTable(query.get("entity") ?? "")?.table;
  const { total, entries } = await entriesOf(scope, {
    entity,
    who,
    offset: (page - 1) * onPage,
    limit: onPage,
  });
  const kinds = scope.entities.all.map(
    (each) => [each.table, scope.namesOf(each).headings] as const,
  );
  const none = new Map<string, string>();
  const content = (
    <>
      <Trail scope={scope} to={peoplePath} label={messages.people} />
      <h1>{messages.log}</h1>
      <form method="get" action={logPath} class="filters">
        <PlainInput name="who" label={messages.who} value={who} errors={none} required={false} />
        <PlainSelect
          name="entity"
          label={messages.what}
          value={entity ?? ""}
          none={messages.everything}
          choices={kinds}
          errors={none}
        />
        <button class="btn btn-outline-secondary mb-3" type="submit">
          {messages.search}
        </button>
      </form>
      <p class="soft small">{messages.entryCount(total, format.number(total))}</p>
      <LogTable scope={scope} entries={entries} links={await linksIn(scope, entries)} ofRecords />
      <Pager
        scope={scope}
        path={logPath}
        query={query}
        pager={numberedPager(page, Math.max(1, Math.ceil(total / onPage)))}
      />
    </>
  );
  return showPage(c, scope, content, { title: messages.log });
}
