import { type Kysely, type Selectable, sql } from "kysely";
import { now } from "../formula/clock.ts";
import { inTransaction } from "../store/transactions.ts";
import type { AccountTables } from "./account-tables.ts";
import { administrators } from "./person.ts";
import { digestOf } from "./secrets.ts";

/** Somebody who may sign in. */
export type Account = Omit<Selectable<AccountTables["levadura_account"]>, "made_at"> & {
  groups: readonly string[];
};

type Db = Kysely<AccountTables>;

/** The membership of those who are in an organisation at all. */
export const everyone = "everyone";

/** The organisation of everybody where there are no others. */
export const firstOrganisation = 1;

const columns = [
  "id",
  "name",
  "email",
  "password",
  "language",
  "timezone",
  "appearance",
  "record_id",
  "suspended_at",
  "waiting_at",
  "totp_secret",
  "totp_step",
] as const;

/** An account by its number, with its groups in an organisation; undefined where there is none. */
export async function accountOf(
  db: Db,
  id: number,
  organisation = firstOrganisation,
): Promise<Account | undefined> {
  const found = await db
    .selectFrom("levadura_account")
    .select(columns)
    .where("id", "=", id)
    .executeTakeFirst();
  return found && (await withGroups(db, [found], organisation))[0];
}

/** An account by its email address, in whatever letters it is written, with its groups in an organisation. */
export async function accountWithEmail(
  db: Db,
  email: string,
  organisation = firstOrganisation,
): Promise<Account | undefined> {
  const found = await db
    .selectFrom("levadura_account")
    .select(columns)
    .where("email", "=", sameEmail(email))
    .executeTakeFirst();
  return found && (await withGroups(db, [found], organisation))[0];
}

/** An email address as the database has it. */
export function sameEmail(email: string): string {
  return email.trim().toLowerCase().slice(0, 254);
}

/** How many accounts there are in an organisation, or at all, and some of them by their names. */
export async function accountsFrom(
  db: Db,
  {
    organisation,
    offset,
    limit,
  }: { organisation?: number | undefined; offset: number; limit: number },
): Promise<{ total: number; accounts: Account[] }> {
  const all = db.selectFrom("levadura_account");
  const some =
    organisation === undefined ? all : all.where("id", "in", membersOf(db, organisation));
  const { total } = await some
    .select(({ fn }) => fn.countAll().as("total"))
    .executeTakeFirstOrThrow();
  const found = await some
    .select(columns)
    .orderBy("name")
    .orderBy("id")
    .limit(limit)
    .offset(offset)
    .execute();
  return { total: Number(total), accounts: await withGroups(db, found, organisation) };
}

/** The numbers of the accounts in an organisation. */
export function membersOf(db: Db, organisation: number) {
  return db
    .selectFrom("levadura_membership")
    .select("account_id")
    .where("organisation_id", "=", organisation);
}

/** In how many organisations somebody is. */
export async function organisationsOf(db: Db, account: number): Promise<number[]> {
  const found = await db
    .selectFrom("levadura_membership")
    .select("organisation_id")
    .distinct()
    .where("account_id", "=", account)
    .orderBy("organisation_id")
    .execute();
  return found.map(({ organisation_id }) => organisation_id);
}

async function withGroups(
  db: Db,
  found: readonly Omit<Account, "groups">[],
  organisation = firstOrganisation,
): Promise<Account[]> {
  if (found.length === 0) return [];
  const memberships = await db
    .selectFrom("levadura_membership")
    .select(["account_id", "group_name", "record_id"])
    .where(
      "account_id",
      "in",
      found.map(({ id }) => id),
    )
    .where("organisation_id", "=", organisation)
    .orderBy("group_name")
    .execute();
  return found.map((account) => {
    const own = memberships.filter(({ account_id }) => account_id === account.id);
    return {
      ...account,
      record_id: own.find(({ record_id }) => record_id !== null)?.record_id ?? account.record_id,
      groups: own.flatMap(({ group_name: name }) => (name === everyone ? [] : name)),
    };
  });
}

/** Adds somebody, who can't sign in before choosing a password; undefined where the address is taken. */
export async function addAccount(
  db: Db,
  {
    name,
    email,
    groups,
    organisation,
    waits = false,
  }: {
    name: string;
    email: string | null;
    groups: readonly string[];
    /** The organisation that they are put into; none with 0. */
    organisation?: number | undefined;
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
    if (organisation !== 0) await join(trx, id, groups, organisation);
    return id;
  });
}

/** Puts somebody into groups of an organisation; without one, into those of an application that has no others. */
export async function join(
  db: Db,
  account: number,
  groups: readonly string[],
  organisation?: number,
): Promise<void> {
  const names = organisation === undefined ? groups : [everyone, ...groups];
  if (names.length === 0) return;
  const rows = names.map((group_name) => ({
    account_id: account,
    organisation_id: organisation ?? firstOrganisation,
    group_name,
  }));
  await db.insertInto("levadura_membership").values(rows).execute();
}

/** What an administrator changes of an account. */
export interface AccountChange {
  groups: readonly string[];
  suspended: boolean;
  record: number | null;
  /** Where the groups and the record are; without organisations, undefined. */
  organisation?: number | undefined;
}

/** Changes an account; false where nobody would be left who can manage the others, and then nothing is changed. */
export async function changeAccount(
  db: Db,
  id: number,
  { groups, suspended, record, organisation }: AccountChange,
): Promise<boolean> {
  return keepingAdministrator(db, organisation, async (trx) => {
    await leave(trx, id, organisation);
    await join(trx, id, groups, organisation);
    await keepRecord(trx, id, record, organisation);
    await trx
      .updateTable("levadura_account")
      .set({ suspended_at: suspended ? now() : null })
      .where("id", "=", id)
      .execute();
    if (suspended) await endSessions(trx, id);
  });
}

/** Keeps which record somebody is, in an organisation if there are several. */
export async function keepRecord(
  db: Db,
  account: number,
  record: number | null,
  organisation?: number,
): Promise<void> {
  const set = { record_id: record };
  if (organisation === undefined) {
    await db.updateTable("levadura_account").set(set).where("id", "=", account).execute();
    return;
  }
  await db
    .updateTable("levadura_membership")
    .set(set)
    .where("account_id", "=", account)
    .where("organisation_id", "=", organisation)
    .where("group_name", "=", everyone)
    .execute();
}

async function leave(db: Db, account: number, organisation = firstOrganisation): Promise<void> {
  await db
    .deleteFrom("levadura_membership")
    .where("account_id", "=", account)
    .where("organisation_id", "=", organisation)
    .execute();
}

/** Whether somebody else is a record already. */
export async function isTaken(
  db: Db,
  record: number,
  but: number,
  organisation?: number,
): Promise<boolean> {
  const found =
    organisation === undefined
      ? db
          .selectFrom("levadura_account")
          .select("id")
          .where("record_id", "=", record)
          .where("id", "!=", but)
      : membersOf(db, organisation)
          .select("id")
          .where("record_id", "=", record)
          .where("account_id", "!=", but);
  return (await found.executeTakeFirst()) !== undefined;
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
  "levadura_view",
] as const;

/**
 * Removes an account, or only its place in an organisation where its owner is in others, too; false where nobody would
 * be left who can manage the others.
 */
export async function removeAccount(db: Db, id: number, organisation?: number): Promise<boolean> {
  return keepingAdministrator(db, organisation, async (trx) => {
    if (organisation !== undefined && (await organisationsOf(trx, id)).length > 1) {
      await leave(trx, id, organisation);
      return;
    }
    for (const table of belongings) {
      await trx.deleteFrom(table).where("account_id", "=", id).execute();
    }
    // Their start page is in a table of the application itself.
    await sql`delete from levadura_tile where account_id = ${id}`.execute(trx);
    await trx.deleteFrom("levadura_account").where("id", "=", id).execute();
  });
}

class LastAdministrator extends Error {}

/** Does some work, unless it would leave no administrator who can sign in. */
async function keepingAdministrator(
  db: Db,
  organisation: number | undefined,
  work: (trx: Db) => Promise<void>,
): Promise<boolean> {
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
      if (!(await hasAdministrator(trx, organisation))) throw new LastAdministrator();
    });
    return true;
  } catch (error) {
    if (error instanceof LastAdministrator) return false;
    throw error;
  }
}

/** Whether an organisation has an administrator who can sign in, in one of the ways. */
export async function hasAdministrator(db: Db, organisation = firstOrganisation): Promise<boolean> {
  const found = await db
    .selectFrom("levadura_account")
    .innerJoin("levadura_membership", "levadura_membership.account_id", "levadura_account.id")
    .select("levadura_account.id")
    .where("group_name", "=", administrators)
    .where("organisation_id", "=", organisation)
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
  own: Pick<AccountTables["levadura_account"], "name" | "language" | "timezone" | "appearance">,
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
