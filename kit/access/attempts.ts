import { type Kysely, sql } from "kysely";
import { insertUnlessThere } from "../database/current-dialect.ts";
import { now } from "../formula/clock.ts";
import { atSecond } from "../formula/zones.ts";
import type { AccountTables } from "./account-tables.ts";
import { digestOf } from "./secrets.ts";

const table = "levadura_attempt";

/** For how long attempts count, in minutes. */
export const attemptMinutes = 15;

/** Something that is tried: by whom or on what, and how often within those minutes. */
export interface Limit {
  subject: string;
  most: number;
}

/**
 * Counts an attempt; false where there were too many. It is counted before anything is tried, so that many at
 * the same time can't be more than one after another. All copies of the application count together.
 */
export async function countAttempt(
  db: Kysely<AccountTables>,
  limits: readonly Limit[],
): Promise<boolean> {
  let fits = true;
  for (const { subject, most } of limits) {
    if ((await countMore(db, subject, 1)) > most) fits = false;
  }
  return fits;
}

/** Forgets the attempts of somebody who succeeded. */
export async function forgetAttempts(
  db: Kysely<AccountTables>,
  limits: readonly Limit[],
): Promise<void> {
  const subjects = limits.map(({ subject }) => digestOf(subject));
  await db.deleteFrom(table).where("subject", "in", subjects).execute();
}

/** Counts something that happened some times more; gives how often it did within those minutes. */
export async function countMore(
  db: Kysely<AccountTables>,
  what: string,
  times: number,
): Promise<number> {
  const subject = digestOf(what);
  const oldest = atSecond(Date.now() - attemptMinutes * 60_000);
  await db.deleteFrom(table).where("since", "<", oldest).execute();
  const row = { subject, count: "0", since: now() };
  await insertUnlessThere(table, row).execute(db);
  await db
    .updateTable(table)
    .set({ count: sql`${sql.ref("count")} + ${times}` })
    .where("subject", "=", subject)
    .execute();
  const found = await db
    .selectFrom(table)
    .select("count")
    .where("subject", "=", subject)
    .executeTakeFirst();
  return Number(found?.count ?? times);
}
