import type { Kysely } from "kysely";
import { now } from "../formula/clock.ts";
import type { AccountTables } from "./account-tables.ts";
import { digestOf } from "./secrets.ts";

/** Somebody as a provider knows them. */
interface Subject {
  issuer: string;
  subject: string;
}

function keyOf({ issuer, subject }: Subject): string {
  return digestOf(JSON.stringify([issuer, subject]));
}

/** The number of the account of somebody who signed in by a provider before. */
export async function accountOfSubject(
  db: Kysely<AccountTables>,
  known: Subject,
): Promise<number | undefined> {
  const found = await db
    .selectFrom("levadura_identity")
    .select("account_id")
    .where("subject", "=", keyOf(known))
    .executeTakeFirst();
  return found?.account_id;
}

/** Keeps as whom a provider knows the owner of an account. */
export async function keepSubject(
  db: Kysely<AccountTables>,
  known: Subject,
  account: number,
): Promise<void> {
  await db
    .insertInto("levadura_identity")
    .values({ subject: keyOf(known), account_id: account, made_at: now() })
    .execute();
}
