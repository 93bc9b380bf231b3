import type { Context } from "hono";
import { HTTPException } from "hono/http-exception";
import { Forbidden, Hidden, NotSignedIn, type Scope } from "../../access/scope.ts";
import { troubleOf } from "../../database/current-dialect.ts";
import { FileStoreTrouble } from "../../files/file-store.ts";
import { Problem, type ProblemKind, problemAnswer } from "../../http/problem.ts";
import { KeyTaken } from "../../store/submissions.ts";
import { endedTransaction, OutcomeUnknown } from "../../store/transactions.ts";

/** What an error means for the program whose request it ended. */
export function problemOf(scope: Scope, error: unknown): Problem {
  const { messages, access, person } = scope;
  const words = messages.api;
  if (error instanceof Problem) return error;
  if (error instanceof NotSignedIn || (error instanceof Forbidden && access && !person)) {
    const how = { "www-authenticate": `Bearer realm="api"` };
    return new Problem("sign-in", words.signIn, [], how);
  }
  if (error instanceof Hidden) return new Problem("not-found", messages.nothingHere);
  if (error instanceof Forbidden) return new Problem("forbidden", messages.forbidden);
  if (error instanceof KeyTaken) return new Problem("key-reused", words.keyTaken);
  if (error instanceof OutcomeUnknown) return new Problem("unknown", words.outcomeUnknown);
  if (error instanceof FileStoreTrouble) return new Problem("away", messages.files.away);
  if (error instanceof HTTPException && error.status < 500) return refused(scope, error.status);
  const trouble = troubleOf(error);
  if (!trouble) return new Problem("failed", messages.logSaysMore);
  const kept = endedTransaction(error) ? ` ${messages.nothingSaved}` : "";
  return new Problem("away", `${messages.troubles[trouble]}${kept}`, [], { "retry-after": "5" });
}

function refused({ messages }: Scope, status: number): Problem {
  const known: Readonly<Record<number, [ProblemKind, string]>> = {
    403: ["forbidden", messages.requestRefused],
    404: ["not-found", messages.nothingHere],
    413: ["too-large", messages.tooMuch],
  };
  return new Problem(...(known[status] ?? ["unreadable", messages.unreadable]));
}

/** The answer to a request that an error ended. */
export function problemFor(c: Context, scope: Scope, error: unknown): Response {
  const problem = problemOf(scope, error);
  return problemAnswer(c, problem, titleOf(scope, problem.kind));
}

/** What all problems of a kind are called. */
export function titleOf({ messages }: Scope, kind: ProblemKind): string {
  return messages.api.problems[kind];
}
