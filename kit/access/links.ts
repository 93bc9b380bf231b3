import type { Kysely } from "kysely";
import { now } from "../formula/clock.ts";
import { atSecond } from "../formula/zones.ts";
import type { AccountTables } from "./account-tables.ts";
import { type Account, accountOf } from "./accounts.ts";
import { digestOf, isSecret, newSecret } from "./secrets.ts";

/** What a secret is for that works once: a link in a letter, or a step on the way to signing in; or, until it is ended, a feed. */
export type Purpose = "password" | "email" | "second" | "passkey" | "calendar";

type Db = Kysely<AccountTables>;

/** What a secret was made for. */
export interface Made {
  purpose: Purpose;
  /** Whose it is; of nobody yet, without it. */
  account?: number;
  hours: number;
  /** The address that it confirms. */
  email?: string;
}

/** Makes a secret that works once, within some hours. The database has only its digest. */
export async function newLink(db: Db, { purpose, account, hours, email }: Made): Promise<string> {
  const secret = newSecret();
  await db.deleteFrom("levadura_welcome").where("until", "<", now()).execute();
  await db
    .insertInto("levadura_welcome")
    .values({
      digest: digestOf(secret),
      account_id: account ?? null,
      until: atSecond(Date.now() + hours * 3_600_000),
      purpose,
      email: email ?? null,
    })
    .execute();
  return secret;
}

/** What a secret is for, if it is one of these; undefined for one that is used up, too old, or made up. */
export async function linkOf(
  db: Db,
  secret: string | undefined,
  purpose: Purpose,
): Promise<{ account: Account | undefined; email: string | null } | undefined> {
  if (!isSecret(secret)) return undefined;
  const found = await db
    .selectFrom("levadura_welcome")
    .select(["account_id", "email"])
    .where("digest", "=", digestOf(secret))
    .where("until", ">", now())
    // Links that are older than purposes are for passwords.
    .where((by) => by(by.fn.coalesce("purpose", by.val("password")), "=", purpose))
    .executeTakeFirst();
  if (!found) return undefined;
  const account = found.account_id === null ? undefined : await accountOf(db, found.account_id);
  if (account && account.suspended_at !== null) return undefined;
  return { account, email: found.email };
}

/** Uses a secret up; false where somebody was faster. */
export async function useLink(db: Db, secret: string): Promise<boolean> {
  const { numDeletedRows } = await db
    .deleteFrom("levadura_welcome")
    .where("digest", "=", digestOf(secret))
    .executeTakeFirst();
  return numDeletedRows > 0n;
}
