import { sql } from "kysely";
import { labelIn } from "../entity/label.ts";
import { now } from "../formula/clock.ts";
import { isThisMachine } from "../http/this-machine.ts";
import { accountTables } from "./account-tables.ts";
import { addAccount, firstOrganisation, join, keepRecord } from "./accounts.ts";
import { groupLabels } from "./group-labels.ts";
import { administrators } from "./person.ts";
import { sampleAccount } from "./sample-account.ts";
import type { Scope } from "./scope.ts";

/**
 * Whether people can sign in as samples of each group without a password: while the application is being developed, and
 * reached from this machine only.
 */
export function hasSamplePeople({ access }: Scope): boolean {
  const host = process.env.HOST || "127.0.0.1";
  const isDeveloped = process.env.DEVELOPMENT_NOTES !== undefined;
  return access !== undefined && isDeveloped && isThisMachine(host);
}

/** The number of the sample of a group, who is made when there is none yet, and is the first record that nobody is. */
export async function samplePerson(scope: Scope, group: string): Promise<number | undefined> {
  const found = groupLabels(scope).find(([name]) => name === group);
  if (!found) return undefined;
  const db = accountTables(scope.db);
  const { email, name } = sampleAccount(group, found[1]);
  const known = await db
    .selectFrom("levadura_account")
    .select("id")
    .where("email", "=", email)
    .executeTakeFirst();
  if (known) return known.id;
  const organisation = scope.access?.organisations && firstOrganisation;
  const id = await addAccount(db, { name, email, groups: [group], organisation });
  if (id !== undefined && group === administrators) await joinSecond(scope, id);
  const table = scope.access?.record;
  if (id === undefined || table === undefined) return id;
  const there = scope.inOrganisation(organisation).seeingAll();
  const { rows } = await sql<{ id: number }>`
    select id from ${there.rows(table)} as records
    where id not in (select record_id from levadura_account where record_id is not null)
    and id not in (select record_id from levadura_membership where record_id is not null)
    order by id limit 1`.execute(there.db);
  const record = rows[0]?.id ?? null;
  await keepRecord(db, id, record, organisation);
  return id;
}

/** Puts the sample administrator into a second organisation, so that it can be seen how they are apart. */
async function joinSecond({ access, db, language }: Scope, account: number): Promise<void> {
  if (!access?.organisations) return;
  const tables = accountTables(db);
  const other = await tables
    .selectFrom("levadura_organisation")
    .select("id")
    .where("id", "!=", firstOrganisation)
    .orderBy("id")
    .executeTakeFirst();
  const name = `${labelIn(access.organisations.label, language)} 2`;
  const second =
    other ??
    (await tables
      .insertInto("levadura_organisation")
      .values({ name, made_at: now() })
      .returning("id")
      .executeTakeFirstOrThrow());
  await join(tables, account, [administrators], second.id);
}
