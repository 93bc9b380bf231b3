import type { Context } from "hono";
import { accountTables } from "../access/account-tables.ts";
import { mailboxPath } from "../access/addresses.ts";
import type { Scope } from "../access/scope.ts";
import type { Feature } from "../features/feature.ts";
import { askedPage } from "../http/asked-page.ts";
import { numberedPager } from "../store/list/pager.ts";
import { showPage } from "../ui/layout.tsx";
import { Pager } from "../ui/pager.tsx";
import { isMailboxOpen } from "./mailbox-open.ts";
import { isMailConfigured } from "./transport.ts";

const onPage = 20;

/** The letters of the application: what would have been sent, or how their delivery went. For administrators. */
export function mailbox(): Feature {
  const needs = isMailboxOpen() ? "nothing" : "operator";
  return { routes: [{ method: "GET", path: mailboxPath, needs, answer: showMailbox }] };
}

async function showMailbox(c: Context, scope: Scope) {
  const { messages, format } = scope;
  const db = accountTables(scope.db);
  const page = askedPage(c);
  const { total } = await db
    .selectFrom("levadura_mail")
    .select(({ fn }) => fn.countAll().as("total"))
    .executeTakeFirstOrThrow();
  const letters = await db
    .selectFrom("levadura_mail")
    .selectAll()
    .orderBy("id", "desc")
    .limit(onPage)
    .offset((page - 1) * onPage)
    .execute();
  const content = (
    <>
      <h1>{messages.mailbox}</h1>
      {!isMailConfigured() && <p>{messages.mailboxHelp}</p>}
      {letters.length === 0 && <p class="empty">{messages.mailEmpty}</p>}
      {letters.map((letter) => (
        <article class="sheet letter">
          <h2>{letter.subject}</h2>
          <p class="soft small">
            {messages.mailTo}: {letter.recipient} · {format.dateTime(letter.made_at)} ·{" "}
            {messages.mailStates[letter.state]}
            {letter.trouble && `: ${letter.trouble}`}
          </p>
          {letter.state === "kept" && letter.body !== null && <Body text={letter.body} />}
        </article>
      ))}
      <Pager
        scope={scope}
        path={mailboxPath}
        query={new URLSearchParams()}
        pager={numberedPager(page, Math.max(1, Math.ceil(Number(total) / onPage)))}
      />
    </>
  );
  return showPage(c, scope, content, { title: messages.mailbox });
}

/** The text of a letter, in which lines that are links can be followed. */
function Body({ text }: { text: string }) {
  return (
    <div class="lines">
      {text.split("\n").map((line) => (
        <>
          {/^https?:\/\/\S+$/.test(line) ? <a href={line}>{line}</a> : line}
          {"\n"}
        </>
      ))}
    </div>
  );
}
