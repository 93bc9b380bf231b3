import { type Kysely, sql } from "kysely";
import { accountTables } from "../access/account-tables.ts";
import type { AnyTables } from "../access/scope.ts";
import { writeVisits } from "../access/visits.ts";
import { type ScopeOf, sendMonthly } from "../features/report/monthly.ts";
import { atSecond } from "../formula/zones.ts";
import { deliver } from "../mail/outbox.ts";
import { logError } from "../store/log.ts";

/** For how many days somebody who signed up may take to confirm the address. */
const unconfirmedDays = 7;

/** What an application in which people sign in does every minute: sends reports and letters, notes visits, and forgets. */
export async function chores<Tables>(database: Kysely<Tables>, scopeOf: ScopeOf): Promise<void> {
  const reports = (db: Kysely<Tables>) => sendMonthly(db, scopeOf);
  const work = { reports, deliver, writeVisits, forgetUnconfirmed };
  for (const [name, one] of Object.entries(work)) {
    await one(database).catch((error) => logError(error, name));
  }
}

/** Removes accounts of people who signed up and never came back. */
async function forgetUnconfirmed<Tables>(database: Kysely<Tables>): Promise<void> {
  const db = accountTables(database as unknown as Kysely<AnyTables>);
  const old = atSecond(Date.now() - unconfirmedDays * 86_400_000);
  const forgotten = db
    .selectFrom("levadura_account")
    .select("id")
    .where("waiting_at", "<", old)
    .where("password", "is", null);
  for (const { id } of await forgotten.execute()) {
    for (const table of ["levadura_membership", "levadura_welcome"] as const) {
      await db.deleteFrom(table).where("account_id", "=", id).execute();
    }
    await db
      .deleteFrom("levadura_account")
      .where("id", "=", id)
      .where(sql<boolean>`password is null`)
      .execute();
  }
}
