import { type RawBuilder, sql } from "kysely";
import type { ClientBase } from "pg";

export { replicaOf } from "../servers/replica.ts";

/** Whether a server is the primary: the others only follow it. */
export async function takesChanges(client: ClientBase): Promise<boolean> {
  const { rows } = await client.query("select pg_is_in_recovery() as follows");
  return rows[0]?.follows === false;
}

/** The position in the log of the server behind all that is saved by now. */
export function logPosition(): RawBuilder<string> {
  return sql<string>`pg_current_wal_insert_lsn()::text`;
}

/** Whether the server that is asked has everything up to a position; one that became the primary has what there is. */
export const reached =
  "select not pg_is_in_recovery() or pg_last_wal_replay_lsn() >= $1::pg_lsn as reached";
