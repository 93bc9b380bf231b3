import { createHash, randomUUID } from "node:crypto";
import { type Kysely, sql } from "kysely";
import * as z from "zod";
import type { AnyTables } from "../access/scope.ts";
import { insertUnlessThere } from "../database/current-dialect.ts";
import { mostAttempts } from "../database/trying-again.ts";
import { now } from "../formula/clock.ts";
import { answersAgain, inTransaction, OutcomeUnknown } from "./transactions.ts";

/**
 * Forms that were sent. Each form carries a token; its result is stored together with the change itself.
 * So a form that is sent twice changes something once, the next page can say what happened, and after a lost
 * connection it can be found out.
 */
const table = "levadura_submission";

/** How long they are remembered, in milliseconds. */
const kept = 24 * 60 * 60 * 1000;

/** The result of a form: where to go, and what to say there. */
const outcome = z.object({
  href: z.string(),
  text: z.string(),
  link: z.object({ text: z.string(), href: z.string() }).optional(),
});
export type Outcome = z.infer<typeof outcome>;

/** A form that was sent: its token, and a digest of all that is in it. */
export interface Submission {
  token: string;
  digest: string;
  /** Whether whoever sent it chose the token: then nothing else may come under it. */
  isKey?: true;
}

/** Somebody sent something else under a token that they chose before. */
export class KeyTaken extends Error {}

/** The token for a form. */
export function newToken(): string {
  return randomUUID();
}

/** A form of a token: one that has none is like no other. `content` is all that is in it. */
export function submissionOf(token: unknown, content: unknown): Submission {
  return {
    token: typeof token === "string" && isToken(token) ? token : newToken(),
    digest: digestOf(content),
  };
}

/** A form of a key that its sender chose: the same `own` is always the same token, and nothing else may come under it. */
export function submissionUnder(own: readonly unknown[], content: readonly unknown[]): Submission {
  const token = digestOf(own).replace(/^(.{8})(.{4})(.{4})(.{4})(.{12}).*$/, "$1-$2-$3-$4-$5");
  return { token, digest: digestOf(content), isKey: true };
}

function digestOf(content: unknown): string {
  return createHash("sha256").update(JSON.stringify(content)).digest("hex");
}

function isToken(text: string): boolean {
  return /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/.test(text);
}

/** Ends a transaction whose form was sent before. */
class SentBefore extends Error {}

/** Ends a transaction in which nothing is to be kept, with the reason. */
class Refused<Reason> extends Error {
  constructor(readonly reason: Reason) {
    super();
  }
}

/**
 * Does the work of a form in a transaction, once however often the form is sent. The work gives its result;
 * or why nothing is to be kept, by `refuse`. An error of the work is thrown, once nothing of it is kept.
 */
export async function submitOnce<Reason>(
  db: Kysely<AnyTables>,
  { token, digest, isKey }: Submission,
  work: (transaction: Kysely<AnyTables>, refuse: (reason: Reason) => never) => Promise<Outcome>,
  attempt = 1,
): Promise<{ token: string; outcome: Outcome } | { refused: Reason }> {
  const refuse = (reason: Reason): never => {
    throw new Refused(reason);
  };
  try {
    const done = await inTransaction(db, async (transaction) => {
      const came = await work(transaction, refuse);
      const row = { token, digest, outcome: asciiJson(came), made_at: now() };
      const { numAffectedRows } = await insertUnlessThere(table, row).execute(transaction);
      if (numAffectedRows !== 1n) throw new SentBefore();
      return came;
    });
    await forgetOld(db);
    remember(token, done);
    return { token, outcome: done };
  } catch (error) {
    const isUnknown = error instanceof OutcomeUnknown;
    if (isUnknown && !(await answersAgain(db))) throw error;
    const before = await find(db, token);
    if (before?.digest === digest) return { token, outcome: before.outcome };
    if (before && isKey) throw new KeyTaken();
    // Should the first attempt still be kept after all, this one waits for it at the token, and finds that.
    if (isUnknown && !before && attempt < mostAttempts) {
      const same = { token, digest, ...(isKey && { isKey }) };
      return submitOnce(db, same, work, attempt + 1);
    }
    if (error instanceof Refused) return { refused: error.reason as Reason };
    // Somebody went back to a form that was sent, and typed something else.
    if (error instanceof SentBefore) return submitOnce(db, { token: newToken(), digest }, work);
    throw error;
  }
}

/** The result of a form, if the very same one was sent before. */
export async function sentBefore(
  db: Kysely<AnyTables>,
  { token, digest, isKey }: Submission,
): Promise<Outcome | undefined> {
  const before = await find(db, token);
  if (before && before.digest !== digest && isKey) throw new KeyTaken();
  return before?.digest === digest ? before.outcome : undefined;
}

/** The result of the form with a token; undefined where it isn't known. */
export async function outcomeOf(
  db: Kysely<AnyTables>,
  token: string,
): Promise<Outcome | undefined> {
  if (!isToken(token)) return undefined;
  return recent.get(token) ?? (await find(db, token))?.outcome;
}

/** The outcomes of the last forms that this process saved: the next page asks for them at once. */
const recent = new Map<string, Outcome>();
const mostRecent = 1000;

function remember(token: string, came: Outcome): void {
  recent.set(token, came);
  for (const oldest of recent.keys()) {
    if (recent.size <= mostRecent) break;
    recent.delete(oldest);
  }
}

async function find(
  db: Kysely<AnyTables>,
  token: string,
): Promise<{ digest: string; outcome: Outcome } | undefined> {
  const { rows } = await sql<{
    digest: string;
    outcome: string;
  }>`select digest, outcome from ${sql.table(table)} where token = ${token}`.execute(db);
  const [found] = rows;
  return found && { digest: found.digest, outcome: outcome.parse(JSON.parse(found.outcome)) };
}

/** JSON as a text of ASCII, which every database keeps whatever its character set. */
export function asciiJson(content: unknown): string {
  return JSON.stringify(content).replace(
    /[^ -~]/g,
    (found) => `\\u${found.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );
}

let forgotten = 0;

/** Forgets forms that were sent long ago, every now and then. */
async function forgetOld(db: Kysely<AnyTables>): Promise<void> {
  if (Date.now() - forgotten < kept / 24) return;
  forgotten = Date.now();
  const oldest = `${new Date(Date.now() - kept).toISOString().slice(0, 19)}Z`;
  await sql`delete from ${sql.table(table)} where made_at < ${oldest}`
    .execute(db)
    .catch(() => undefined);
}
