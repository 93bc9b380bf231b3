import { type Kysely, sql, type Transaction } from "kysely";
import type { Trouble } from "../database/contract.ts";
import { troubleOf } from "../database/current-dialect.ts";
import { mostAttempts, pauseAfter } from "../database/trying-again.ts";

/** The connection was lost while the database was told to keep a change: it may have kept it or not. */
export class OutcomeUnknown extends Error {
  constructor(cause: unknown) {
    super("The connection was lost while a change was being kept.", { cause });
  }
}

const undone = new WeakSet<object>();

/** Whether an error ended a transaction, so that nothing of it was kept. */
export function endedTransaction(error: unknown): boolean {
  return typeof error === "object" && error !== null && undone.has(error);
}

/**
 * Does some work in a transaction. Where there is one already, the work is a part of it: after an error nothing of the work
 * is kept, and the rest of the transaction can go on. What met another change, or lost its connection before anything was
 * to be kept, is done again a few times, so that the work may run more than once. Throws `OutcomeUnknown` where the
 * connection is lost at the end; after any other error, nothing was kept.
 */
export async function inTransaction<Tables, Result>(
  db: Kysely<Tables>,
  work: (transaction: Transaction<Tables>) => Promise<Result>,
): Promise<Result> {
  if (db.isTransaction) return partOf(db as Transaction<Tables>, work);
  for (let attempt = 1; ; attempt++) {
    let keeping = false;
    let first: unknown;
    try {
      return await db.transaction().execute(async (transaction) => {
        try {
          const result = await work(transaction);
          keeping = true;
          return result;
        } catch (error) {
          first = error;
          throw error;
        }
      });
    } catch (last) {
      // A rollback over a lost connection fails, too; why the work failed says more.
      const error = first ?? last;
      const trouble = troubleOf(error);
      if (keeping && (trouble === "lost" || trouble === "slow")) throw new OutcomeUnknown(error);
      if (attempt < mostAttempts && mayTryAgain(trouble)) {
        await pauseAfter(attempt);
        continue;
      }
      if (typeof error === "object" && error !== null) undone.add(error);
      throw error;
    }
  }
}

/** Does some work within a transaction, which goes on without it where it fails. */
async function partOf<Tables, Result>(
  transaction: Transaction<Tables>,
  work: (transaction: Transaction<Tables>) => Promise<Result>,
): Promise<Result> {
  await sql`savepoint part`.execute(transaction);
  try {
    const result = await work(transaction);
    await sql`release savepoint part`.execute(transaction);
    return result;
  } catch (error) {
    // Where the whole transaction is at an end, there is no such point any more.
    await sql`rollback to savepoint part`.execute(transaction).catch(() => undefined);
    throw error;
  }
}

function mayTryAgain(trouble: Trouble | undefined): boolean {
  return trouble === "conflict" || trouble === "lost";
}

/** Waits until the database answers again, a short while at most; false where it doesn't. */
export async function answersAgain<Tables>(db: Kysely<Tables>): Promise<boolean> {
  for (let attempt = 1; attempt <= mostAttempts; attempt++) {
    try {
      await sql`select 1`.execute(db);
      return true;
    } catch {
      await pauseAfter(attempt);
    }
  }
  return false;
}
