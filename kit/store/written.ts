import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import {
  insertUnlessThere,
  logPosition,
  replicaOf,
  troubleOf,
} from "../database/current-dialect.ts";
import { mostAttempts, pauseAfter } from "../database/trying-again.ts";
import { logError } from "./log.ts";

/**
 * Up to which position in the log of the database each person may have saved something. A replica answers them only once
 * it has that, so that they see what they saved, whichever process answers. All who aren't signed in are number 0.
 */
const table = "levadura_written";

/** A scope to read with: over the replica, where there is one that has all that the person saved; else the same one. */
export async function readingScope(scope: Scope): Promise<Scope> {
  const replica = replicaOf(scope.db);
  if (!replica) return scope;
  const { rows } = await sql<{ log_position: string }>`
    select log_position from ${sql.table(table)} where account_id = ${whose(scope)}`.execute(
    scope.db,
  );
  const [last] = rows;
  if (last && !(await replica.hasReached(last.log_position))) return scope;
  return scope.within(replica.tables);
}

/** Notes that the person may have saved something just now. */
export async function noteWritten(scope: Scope): Promise<void> {
  if (!replicaOf(scope.db)) return;
  // The server takes the position once it has locked the row, so that of two requests the later one counts.
  const update = async () => {
    const { numAffectedRows } = await sql`update ${sql.table(table)}
      set log_position = ${logPosition()} where account_id = ${whose(scope)}`.execute(scope.db);
    return numAffectedRows;
  };
  const note = async () => {
    if ((await update()) !== 0n) return;
    const row = { account_id: String(whose(scope)), log_position: "" };
    await insertUnlessThere(table, row).execute(scope.db);
    await update();
  };
  for (let attempt = 1; ; attempt++) {
    try {
      return await note();
    } catch (error) {
      if (attempt === mostAttempts || troubleOf(error) !== "lost") {
        // What the person saved is saved all the same.
        logError(error, "noting what was saved");
        return;
      }
      await pauseAfter(attempt);
    }
  }
}

function whose({ person }: Scope): number {
  return person?.id ?? 0;
}
