import { type RawBuilder, sql } from "kysely";

/** A file has no replica. */
export function replicaOf(): undefined {}

/** A file keeps no log that anybody follows. */
export function logPosition(): RawBuilder<string> {
  return sql<string>`''`;
}
