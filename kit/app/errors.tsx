import type { Context } from "hono";
import { HTTPException } from "hono/http-exception";
import { signInAddress, signInPath } from "../access/addresses.ts";
import { Forbidden, Hidden, NotSignedIn, type Scope } from "../access/scope.ts";
import { troubleOf } from "../database/current-dialect.ts";
import { problemFor } from "../features/api/problems.ts";
import { FileStoreTrouble } from "../files/file-store.ts";
import { isApi } from "../http/problem.ts";
import { logError } from "../store/log.ts";
import { endedTransaction, OutcomeUnknown } from "../store/transactions.ts";
import { showPage } from "../ui/layout.tsx";

/** Answers a request for an address at which there is nothing. */
export function notFound(c: Context, scope: Scope) {
  const { messages } = scope;
  if (isApi(c.req.path)) return problemFor(c, scope, new Hidden());
  return problem(c, scope, 404, messages.notFound, messages.nothingHere);
}

/** Answers a request that failed, with what is known of what was saved. */
export function failed(c: Context, scope: Scope, error: Error) {
  const { messages } = scope;
  if (isApi(c.req.path)) return failedForProgram(c, scope, error);
  if (error instanceof Hidden) return notFound(c, scope);
  const asksNobody = error instanceof Forbidden && scope.access && !scope.person;
  if (error instanceof NotSignedIn || asksNobody) {
    // Within another site, nobody signs in.
    return scope.embedded ? notFound(c, scope) : signInFirst(c, scope);
  }
  if (error instanceof HTTPException && error.status < 500) {
    const refusals: Readonly<Record<number, string>> = {
      400: messages.unreadable,
      413: messages.tooMuch,
    };
    const words = refusals[error.status] ?? messages.requestRefused;
    return problem(c, scope, error.status, messages.refused, words);
  }
  if (error instanceof Forbidden) {
    return problem(c, scope, 403, messages.refused, messages.forbidden);
  }
  logError(error, `${c.req.method} ${withoutSecrets(c.req.path)}`);
  if (error instanceof OutcomeUnknown) {
    return problem(c, scope, 500, messages.outcomeUnknown, messages.lookFirst);
  }
  if (error instanceof FileStoreTrouble) {
    return problem(c, scope, 503, messages.databaseAway, messages.files.away);
  }
  const trouble = troubleOf(error);
  const kept = whatWasKept(c, scope, error);
  return trouble
    ? problem(c, scope, 503, messages.databaseAway, kept, messages.troubles[trouble])
    : problem(c, scope, 500, messages.somethingWrong, kept, messages.logSaysMore);
}

function failedForProgram(c: Context, scope: Scope, error: Error) {
  const answer = problemFor(c, scope, error);
  if (answer.status >= 500) logError(error, `${c.req.method} ${c.req.path}`);
  return answer;
}

/** An address without the secrets that links of letters and feeds have in it. */
function withoutSecrets(path: string): string {
  return path.replace(/^(\/-\/.*\/)[\w-]{20,}/, "$1…");
}

/** Leads to the sign-in, and back afterwards. What somebody sends who is signed out by now isn't lost. */
export function signInFirst(c: Context, scope: Scope) {
  if (isApi(c.req.path)) return problemFor(c, scope, new NotSignedIn());
  const { pathname, search } = new URL(c.req.url);
  if (c.req.method === "GET") return c.redirect(signInAddress(pathname + search), 302);
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.signedOut}</h1>
      <p>{messages.signInAndSendAgain}</p>
      <a class="btn btn-primary" href={signInPath} target="_blank" rel="noopener">
        {messages.signIn}
      </a>
    </>
  );
  return showPage(c, scope, page, { title: messages.signedOut, status: 401 });
}

/** What an error left behind, as far as it is known. */
function whatWasKept(c: Context, { messages }: Scope, error: Error): string {
  if (c.req.method === "GET" || c.req.method === "HEAD") return messages.cantBeShown;
  return endedTransaction(error) ? messages.nothingSaved : messages.lookWhetherSaved;
}

function problem(c: Context, scope: Scope, status: number, title: string, ...sentences: string[]) {
  const page = (
    <>
      <h1>{title}</h1>
      <p>{sentences.join(" ")}</p>
      {!scope.embedded && (
        <a class="btn btn-primary" href="/">
          {scope.messages.start}
        </a>
      )}
    </>
  );
  return showPage(c, scope, page, { title, status });
}
