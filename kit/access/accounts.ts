import { type Generated, type Kysely, type Selectable, sql } from "kysely";
import { now } from "../formula/clock.ts";
import { inTransaction } from "../store/transactions.ts";
import { administrators } from "./rights.ts";
import type { AnyTables } from "./scope.ts";
import { digestOf } from "./secrets.ts";

/** The tables of the people who sign in, which no model has. Moments are texts: `2026-05-03T07:00:00Z`. */
export interface AccountTables {
  levadura_account: {
    id: Generated<number>;
    name: string;
    /** In small letters; null until they said it. */
    email: string | null;
    /** As `hashPassword` gives it; null until they chose one. */
    password: string | null;
    language: string | null;
    timezone: string | null;
    /** The number of the record that the person is. */
    record_id: number | null;
    suspended_at: string | null;
    /** Since when somebody who signed up waits to be let in. */
    waiting_at: string | null;
    /** The secret of the second factor; null where they have none. */
    totp_secret: string | null;
    /** The last step of time whose code was used. */
    totp_step: number | null;
    made_at: string;
  };
  levadura_membership: { id: Generated<number>; account_id: number; group_name: string };
  levadura_session: {
    id: Generated<number>;
    digest: string;
    account_id: number;
    begun_at: string;
    seen_at: string;
    address: string;
    browser: string;
  };
  levadura_welcome: {
    id: Generated<number>;
    digest: string;
    account_id: number | null;
    until: string;
    purpose: string | null;
    email: string | null;
  };
  levadura_recovery: { id: Generated<number>; digest: string; account_id: number };
  levadura_passkey: {
    id: Generated<number>;
    credential: string;
    account_id: number;
    public_key: string;
    counter: number;
    name: string;
    made_at: string;
    used_at: string | null;
  };
  levadura_identity: {
    id: Generated<number>;
    subject: string;
    account_id: number;
    made_at: string;
  };
  levadura_mail: {
    id: Generated<number>;
    made_at: string;
    recipient: string;
    subject: string;
    body: string | null;
    state: "waiting" | "sending" | "sent" | "failed" | "kept";
    tried: number;
    tried_at: string | null;
    trouble: string | null;
  };
  levadura_visit: {
    id: Generated<number>;
    day: string;
    account_id: number;
    page: string;
    count: number;
  };
  levadura_change: {
    id: Generated<number>;
    made_at: string;
    account_id: number | null;
    account_name: string | null;
    address: string;
    action: string;
    entity_table: string | null;
    record_id: number | null;
    record_title: string | null;
    details: string;
  };
  levadura_attempt: { id: Generated<number>; subject: string; count: number; since: string };
}

/** The database, with these tables. */
export function accountTables(db: Kysely<AnyTables>): Kysely<AccountTables> {
  return db as unknown as Kysely<AccountTables>;
}

/** Somebody who may sign in. */
export type Account = Omit<Selectable<AccountTables["levadura_account"]>, "made_at"> & {
  groups: readonly string[];
};

type Db = Kysely<AccountTables>;
const columns = [
  "id",
  "name",
  "email",
  "password",
  "language",
  "timezone",
  "record_id",
  "suspended_at",
  "waiting_at",
  "totp_secret",
  "totp_step",
] as const;

/** An account by its number; undefined where there is none. */
export async function accountOf(db: Db, id: number): Promise<Account | undefined> {
  const found = await db
    .selectFrom("levadura_account")
    .select(columns)
    .where("id", "=", id)
    .executeTakeFirst();
  return found && (await withGroups(db, [found]))[0];
}

/** An account by its email address, in whatever letters it is written. */
export async function accountWithEmail(db: Db, email: string): Promise<Account | undefined> {
  const found = await db
    .selectFrom("levadura_account")
    .select(columns)
    .where("email", "=", sameEmail(email))
    .executeTakeFirst();
  return found && (await withGroups(db, [found]))[0];
}

/** An email address as the database has it. */
export function sameEmail(email: string): string {
  return email.trim().toLowerCase().slice(0, 254);
}

/** How many accounts there are, and some of them by their names. */
export async function accountsFrom(
  db: Db,
  { offset, limit }: { offset: number; limit: number },
): Promise<{ total: number; accounts: Account[] }> {
  const { total } = await db
    .selectFrom("levadura_account")
    .select(({ fn }) => fn.countAll().as("total"))
    .executeTakeFirstOrThrow();
  const found = await db
    .selectFrom("levadura_account")
    .select(columns)
    .orderBy("name")
    .orderBy("id")
    .limit(limit)
    .offset(offset)
    .execute();
  return { total: Number(total), accounts: await withGroups(db, found) };
}

async function withGroups(db: Db, found: readonly Omit<Account, "groups">[]): Promise<Account[]> {
  if (found.length === 0) return [];
  const memberships = await db
    .selectFrom("levadura_membership")
    .select(["account_id", "group_name"])
    .where(
      "account_id",
      "in",
      found.map(({ id }) => id),
    )
    .orderBy("group_name")
    .execute();
  return found.map((account) => ({
    ...account,
    groups: memberships
      .filter(({ account_id }) => account_id === account.id)
      .map(({ group_name }) => group_name),
  }));
}

/** Adds somebody, who can't sign in before choosing a password; undefined where the address is taken. */
export async function addAccount(
  db: Db,
  {
    name,
    email,
    groups,
    waits = false,
  }: {
    name: string;
    email: string | null;
    groups: readonly string[];
    /** Whether they signed up themselves, and aren't let in yet. */
    waits?: boolean;
  },
): Promise<number | undefined> {
  return inTransaction(db, async (trx) => {
    const address = email === null ? null : sameEmail(email);
    if (address !== null && (await accountWithEmail(trx, address))) return undefined;
    const { id } = await trx
      .insertInto("levadura_account")
      .values({ name, email: address, made_at: now(), ...(waits && { waiting_at: now() }) })
      .returning("id")
      .executeTakeFirstOrThrow();
    await addMemberships(trx, id, groups);
    return id;
  });
}

async function addMemberships(trx: Db, id: number, groups: readonly string[]): Promise<void> {
  if (groups.length === 0) return;
  const rows = groups.map((group_name) => ({ account_id: id, group_name }));
  await trx.insertInto("levadura_membership").values(rows).execute();
}

/** What an administrator changes of an account. */
export interface AccountChange {
  groups: readonly string[];
  suspended: boolean;
  record: number | null;
}

/** Changes an account; false where nobody would be left who can manage the others, and then nothing is changed. */
export async function changeAccount(
  db: Db,
  id: number,
  { groups, suspended, record }: AccountChange,
): Promise<boolean> {
  return keepingAdministrator(db, async (trx) => {
    await trx.deleteFrom("levadura_membership").where("account_id", "=", id).execute();
    await addMemberships(trx, id, groups);
    await trx
      .updateTable("levadura_account")
      .set({ suspended_at: suspended ? now() : null, record_id: record })
      .where("id", "=", id)
      .execute();
    if (suspended) await endSessions(trx, id);
  });
}

/** Whether somebody else is a record already. */
export async function isTaken(db: Db, record: number, but: number): Promise<boolean> {
  const found = await db
    .selectFrom("levadura_account")
    .select("id")
    .where("record_id", "=", record)
    .where("id", "!=", but)
    .executeTakeFirst();
  return found !== undefined;
}

/** What an account has, and what goes with it. */
const belongings = [
  "levadura_membership",
  "levadura_session",
  "levadura_welcome",
  "levadura_recovery",
  "levadura_passkey",
  "levadura_identity",
  "levadura_visit",
] as const;

/** Removes an account; false where nobody would be left who can manage the others. */
export async function removeAccount(db: Db, id: number): Promise<boolean> {
  return keepingAdministrator(db, async (trx) => {
    for (const table of belongings) {
      await trx.deleteFrom(table).where("account_id", "=", id).execute();
    }
    await trx.deleteFrom("levadura_account").where("id", "=", id).execute();
  });
}

class LastAdministrator extends Error {}

/** Does some work, unless it would leave no administrator who can sign in. */
async function keepingAdministrator(db: Db, work: (trx: Db) => Promise<void>): Promise<boolean> {
  try {
    await inTransaction(db, async (trx) => {
      // Two who do this at once wait for each other here, or neither would see what the other does.
      await trx
        .updateTable("levadura_account")
        .set({ made_at: sql`${sql.ref("made_at")}` })
        .where("id", "=", (select) =>
          select
            .selectFrom(
              sql<{ id: number }>`(select min(id) as id from levadura_account)`.as("first"),
            )
            .select("first.id"),
        )
        .execute();
      await work(trx);
      if (!(await hasAdministrator(trx))) throw new LastAdministrator();
    });
    return true;
  } catch (error) {
    if (error instanceof LastAdministrator) return false;
    throw error;
  }
}

/** Whether there is an administrator who can sign in, in one of the ways. */
export async function hasAdministrator(db: Db): Promise<boolean> {
  const found = await db
    .selectFrom("levadura_account")
    .innerJoin("levadura_membership", "levadura_membership.account_id", "levadura_account.id")
    .select("levadura_account.id")
    .where("group_name", "=", administrators)
    .where((by) =>
      by.or([
        by("password", "is not", null),
        by("levadura_account.id", "in", by.selectFrom("levadura_passkey").select("account_id")),
        by("levadura_account.id", "in", by.selectFrom("levadura_identity").select("account_id")),
      ]),
    )
    .where("suspended_at", "is", null)
    .limit(1)
    .execute();
  return found.length > 0;
}

/** What people change of their own account. */
export async function changeOwn(
  db: Db,
  id: number,
  own: { name: string; language: string | null; timezone: string | null },
): Promise<void> {
  await db.updateTable("levadura_account").set(own).where("id", "=", id).execute();
}

/** Changes the address by which somebody signs in, and ends their sessions; false where it is taken by now. */
export async function changeEmail(db: Db, id: number, email: string): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    if (await accountWithEmail(trx, email)) return false;
    await trx
      .updateTable("levadura_account")
      .set({ email: sameEmail(email) })
      .where("id", "=", id)
      .execute();
    await endSessions(trx, id);
    return true;
  });
}

/** Lets somebody in who signed up. */
export async function admit(db: Db, id: number): Promise<void> {
  const admitted = { waiting_at: null };
  await db.updateTable("levadura_account").set(admitted).where("id", "=", id).execute();
}

/**
 * Keeps a password, with the address to sign in by; ends all sessions but one. False where the link by which it was
 * chosen was used in the meantime.
 */
export async function keepPassword(
  db: Db,
  id: number,
  {
    email,
    password,
    session,
    secret,
    letsIn = false,
  }: {
    email?: string;
    password: string;
    session?: string;
    secret?: string;
    /** Whether somebody who signed up needs nothing more than this. */
    letsIn?: boolean;
  },
): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    if (secret !== undefined) {
      const { numDeletedRows } = await trx
        .deleteFrom("levadura_welcome")
        .where("digest", "=", digestOf(secret))
        .executeTakeFirst();
      if (numDeletedRows === 0n) return false;
    }
    await trx
      .updateTable("levadura_account")
      .set({
        password,
        ...(email !== undefined && { email: sameEmail(email) }),
        ...(letsIn && { waiting_at: null }),
      })
      .where("id", "=", id)
      .execute();
    await trx.deleteFrom("levadura_welcome").where("account_id", "=", id).execute();
    await endSessions(trx, id, session);
    return true;
  });
}

/** Ends the sessions of somebody, but the one with a digest. */
export async function endSessions(db: Db, id: number, but?: string): Promise<void> {
  const all = db.deleteFrom("levadura_session").where("account_id", "=", id);
  await (but === undefined ? all : all.where("digest", "!=", but)).execute();
}
