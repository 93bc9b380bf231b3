import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import { Problem } from "../../http/problem.ts";
import { type Submission, submissionUnder } from "../../store/submissions.ts";

/** The media types of bodies. */
export const mediaTypes = {
  json: "application/json",
  patch: "application/merge-patch+json",
  lines: "application/x-ndjson",
} as const;

/** The JSON that a request carries; throws a problem where it carries something else. */
export async function sentJson(
  c: Context,
  { messages }: Scope,
  types: readonly string[] = [mediaTypes.json],
): Promise<unknown> {
  const [type = ""] = (c.req.header("content-type") ?? "").toLowerCase().split(";", 1);
  if (!types.includes(type.trim())) {
    const accepted = types.join(", ");
    throw new Problem("media-type", messages.api.mediaType(accepted), [], { accept: accepted });
  }
  try {
    return JSON.parse(await c.req.text());
  } catch (error) {
    // What is nested too deeply is a RangeError.
    const isWrong = error instanceof SyntaxError || error instanceof RangeError;
    if (isWrong) throw new Problem("unreadable", messages.api.noJson);
    throw error;
  }
}

/**
 * The key by which a request is done once, however often it is sent (`Idempotency-Key`); undefined without one. It is
 * the sender's own: another person's request with the same key is another one.
 */
export async function askedOnce(c: Context, scope: Scope): Promise<Submission | undefined> {
  const key = c.req.header("idempotency-key");
  if (key === undefined) return undefined;
  if (!/^[!-~]{1,200}$/.test(key)) throw new Problem("unreadable", scope.messages.api.wrongKey);
  const { person, organisation } = scope;
  const match = c.req.header("if-match") ?? "";
  return submissionUnder(
    [person?.id ?? 0, organisation ?? 0, key],
    [c.req.method, c.req.path, match, await c.req.text()],
  );
}
