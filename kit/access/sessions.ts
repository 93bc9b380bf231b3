import type { Context } from "hono";
import { deleteCookie, getCookie, setCookie } from "hono/cookie";
import type { CompiledQuery, InferResult, Kysely } from "kysely";
import { troubleOf } from "../database/current-dialect.ts";
import { now } from "../formula/clock.ts";
import { atSecond } from "../formula/zones.ts";
import { clientAddress } from "../http/client-address.ts";
import { isSecureAddress } from "../http/public-address.ts";
import type { AccountTables } from "./account-tables.ts";
import { everyone, firstOrganisation } from "./accounts.ts";
import type { Appearance, Person } from "./person.ts";
import { digestOf, isSecret, newSecret } from "./secrets.ts";

/** A session ends after so many hours without a request, and after so many in all. */
const hours = { idle: 12, all: 7 * 24 };

/** How often it is noted that a session is in use, in milliseconds. */
const noted = 5 * 60_000;

type Db = Kysely<AccountTables>;

/** Begins a session, of which the browser gets the secret and the database only its digest. */
export async function beginSession(c: Context, db: Db, accountId: number): Promise<void> {
  const secret = newSecret();
  const begun = now();
  const longAgo = atSecond(Date.now() - hours.all * 3_600_000);
  await db.deleteFrom("levadura_session").where("begun_at", "<", longAgo).execute();
  await db
    .insertInto("levadura_session")
    .values({
      digest: digestOf(secret),
      account_id: accountId,
      begun_at: begun,
      seen_at: begun,
      address: clientAddress(c).slice(0, 60),
      browser: (c.req.header("user-agent") ?? "").replace(/[^ -~]/g, "?").slice(0, 200),
    })
    .execute();
  setCookie(c, "session", secret, { ...cookieOptions(), maxAge: hours.all * 3600 });
}

/** The digest of the session of a request; undefined where it has none that could be one. */
export function sessionOf(c: Context): string | undefined {
  const secret = isSecureAddress() ? getCookie(c, "session", "host") : getCookie(c, "session");
  return isSecret(secret) ? digestOf(secret) : undefined;
}

/** Ends the session of a request. */
export async function endSession(c: Context, db: Db): Promise<void> {
  const digest = sessionOf(c);
  if (digest) await db.deleteFrom("levadura_session").where("digest", "=", digest).execute();
  deleteCookie(c, "session", cookieOptions());
}

/** No other host and no script reads it; over HTTPS, no other name of the domain can set it (`__Host-`). */
function cookieOptions() {
  const secure = isSecureAddress();
  const common = { path: "/", httpOnly: true, sameSite: "Lax", secure } as const;
  return secure ? ({ ...common, prefix: "host", secure: true } as const) : common;
}

const accountColumns = [
  "account.id",
  "account.name",
  "account.language",
  "account.timezone",
  "account.appearance",
  "account.record_id",
  "membership.group_name",
] as const;

const organisationColumns = [
  "membership.organisation_id",
  "membership.record_id as record_there",
  "organisation.name as organisation_name",
  "organisation.plan",
] as const;

/** A session that holds, with each membership of its person; of organisations only where there are some. */
function memberships(db: Db, isOrganised: boolean) {
  const all = db
    .selectFrom("levadura_session as session")
    .innerJoin("levadura_account as account", "account.id", "session.account_id")
    .leftJoin("levadura_membership as membership", "membership.account_id", "account.id")
    .select([...accountColumns, "session.seen_at"])
    .where("session.digest", "=", "")
    .where("session.begun_at", ">", "")
    .where("session.seen_at", ">", "")
    .where("account.suspended_at", "is", null)
    .where("account.waiting_at", "is", null);
  return all.$if(isOrganised, (some) =>
    some
      .leftJoin(
        "levadura_organisation as organisation",
        "organisation.id",
        "membership.organisation_id",
      )
      .select([...organisationColumns, "session.organisation_id as chosen"])
      .orderBy("membership.organisation_id"),
  );
}

/** That statement for each database: every request asks it, and making its text takes as long as asking it. */
const statements = new WeakMap<Db, CompiledQuery>();

async function membershipsOf(db: Db, digest: string, at: number, isOrganised: boolean) {
  const statement = statements.get(db) ?? memberships(db, isOrganised).compile();
  statements.set(db, statement);
  const since = (hours: number) => atSecond(at - hours * 3_600_000);
  const parameters = [digest, since(hours.all), since(hours.idle)];
  const { rows } = await db.executeQuery({ ...statement, parameters });
  return rows as InferResult<ReturnType<typeof memberships>>;
}

/** Who sends a request; undefined for nobody, and for whoever may not sign in any more. */
export async function personOf(
  c: Context,
  db: Db,
  isOrganised: boolean,
): Promise<Person | undefined> {
  const digest = sessionOf(c);
  if (digest === undefined) return undefined;
  const at = Date.now();
  const found = await membershipsOf(db, digest, at, isOrganised);
  const [first] = found;
  if (!first) return undefined;
  if (first.seen_at < atSecond(at - noted)) {
    await db
      .updateTable("levadura_session")
      .set({ seen_at: atSecond(at) })
      .where("digest", "=", digest)
      .execute()
      .catch((error) => {
        // Where the connection was lost just now, the next request notes it.
        if (troubleOf(error) !== "lost") throw error;
      });
  }
  return personAmong(found, isOrganised, first.chosen);
}

/** A person without a session, by their account; in an organisation of theirs, where there are some. */
export async function personOfAccount(
  db: Db,
  id: number,
  isOrganised: boolean,
  organisation: number,
): Promise<Person | undefined> {
  const found = await db
    .selectFrom("levadura_account as account")
    .leftJoin("levadura_membership as membership", "membership.account_id", "account.id")
    .leftJoin(
      "levadura_organisation as organisation",
      "organisation.id",
      "membership.organisation_id",
    )
    .select([...accountColumns, ...organisationColumns])
    .where("account.id", "=", id)
    .where("account.suspended_at", "is", null)
    .where("account.waiting_at", "is", null)
    .orderBy("membership.organisation_id")
    .execute();
  return personAmong(found, isOrganised, organisation);
}

/** A person as the database has them, once for each membership. */
interface Membership {
  id: number;
  name: string;
  language: string | null;
  timezone: string | null;
  appearance: Appearance | null;
  record_id: number | null;
  group_name: string | null;
  organisation_id?: number | null | undefined;
  record_there?: number | null | undefined;
  organisation_name?: string | null | undefined;
  plan?: string | null | undefined;
}

/** The person of some memberships, in the organisation that is chosen, or in their first. */
function personAmong(
  found: readonly Membership[],
  isOrganised: boolean,
  wanted: number | null | undefined,
): Person | undefined {
  const [first] = found;
  if (!first) return undefined;
  const within = new Set(found.flatMap(({ organisation_id: id }) => id ?? []));
  const isChosen = typeof wanted === "number" && within.has(wanted);
  const chosen = isChosen ? wanted : [...within][0];
  const own = isOrganised ? found.filter((row) => row.organisation_id === chosen) : found;
  const there = isOrganised ? own[0] : undefined;
  // Who was a record before there were organisations is it in the first one.
  const alone = !isOrganised || chosen === firstOrganisation ? first.record_id : null;
  const record = own.find((row) => typeof row.record_there === "number")?.record_there ?? alone;
  return {
    id: first.id,
    name: first.name,
    groups: own.flatMap(({ group_name: name }) => (name === null || name === everyone ? [] : name)),
    ...(there &&
      typeof chosen === "number" && {
        organisation: {
          id: chosen,
          name: there.organisation_name ?? "",
          ...(typeof there.plan === "string" && { plan: there.plan }),
        },
      }),
    ...(typeof record === "number" && { record }),
    ...(first.language !== null && { language: first.language }),
    ...(first.timezone !== null && { timezone: first.timezone }),
    ...(first.appearance !== null && { appearance: first.appearance }),
  };
}

/** Goes on in another organisation of the person's. */
export async function chooseOrganisation(c: Context, db: Db, organisation: number): Promise<void> {
  await db
    .updateTable("levadura_session")
    .set({ organisation_id: organisation })
    .where("digest", "=", sessionOf(c) ?? "")
    .execute();
}

/** A session as its owner sees it. */
export interface OwnSession {
  id: number;
  begun_at: string;
  seen_at: string;
  address: string;
  browser: string;
  /** Whether it is the one of the request. */
  isThis: boolean;
}

/** The sessions of somebody, the last one first. */
export async function sessionsOf(c: Context, db: Db, accountId: number): Promise<OwnSession[]> {
  const found = await db
    .selectFrom("levadura_session")
    .select(["id", "digest", "begun_at", "seen_at", "address", "browser"])
    .where("account_id", "=", accountId)
    .orderBy("seen_at", "desc")
    .limit(100)
    .execute();
  const own = sessionOf(c);
  return found.map(({ digest, ...session }) => ({ ...session, isThis: digest === own }));
}

/** Ends one of somebody's sessions. */
export async function endOwnSession(db: Db, accountId: number, id: number): Promise<void> {
  await db
    .deleteFrom("levadura_session")
    .where("account_id", "=", accountId)
    .where("id", "=", id)
    .execute();
}
