import { type RawBuilder, sql } from "kysely";

export { replicaOf } from "../servers/replica.ts";

/** What tells whether a server takes changes: one that only follows another doesn't, nor does one that lost its cluster. */
export const takesChanges = `select @@global.read_only = 0 and (@@global.wsrep_on = 0 or (
  select variable_value from information_schema.global_status where variable_name = 'wsrep_ready') = 'ON') as ready`;

/** The position in the log of the server behind all that is saved by now; blank where it keeps none. */
export function logPosition(): RawBuilder<string> {
  return sql<string>`@@global.gtid_current_pos`;
}

/**
 * Whether the server that is asked has everything up to a position. A member of a cluster has: it is told to wait for what
 * the others saved (`waitingForCluster`).
 */
export const reached =
  "select @@global.wsrep_on = 1 or (? <> '' and master_gtid_wait(?, 0) = 0) as reached";

/** Makes a member of a cluster answer when it has what the others had saved before; others don't mind. */
export const waitingForCluster = "set session wsrep_sync_wait = 1";
