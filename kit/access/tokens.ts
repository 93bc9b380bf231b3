import type { Kysely } from "kysely";
import * as z from "zod";
import { now } from "../formula/clock.ts";
import { atSecond } from "../formula/zones.ts";
import type { AccountTables } from "./account-tables.ts";
import { actions } from "./action.ts";
import type { Narrowing } from "./person.ts";
import { digestOf, isSecret, newSecret } from "./secrets.ts";

type Db = Kysely<AccountTables>;

/** What tokens begin with, so that whoever finds one knows what it is. */
const start = "levadura_";

/** The most tokens of one person. */
export const mostTokens = 50;

/** What a token that is about to be made is for. */
interface NewToken {
  account: number;
  organisation: number | undefined;
  name: string;
  /** What it may do of what its person may; all of it, without it. */
  may: Narrowing | undefined;
  /** After how many days it expires; never, without it. */
  days: number | undefined;
}

/** Makes a token. It is returned once; the database has only its digest. */
export async function makeToken(db: Db, token: NewToken): Promise<string> {
  const { account, organisation, name, may, days } = token;
  const secret = newSecret();
  await db
    .insertInto("levadura_token")
    .values({
      digest: digestOf(secret),
      account_id: account,
      organisation_id: organisation ?? null,
      name,
      may: may ? JSON.stringify(may) : null,
      made_at: now(),
      until: days === undefined ? null : atSecond(Date.now() + days * 86_400_000),
      used_at: null,
      used_from: null,
    })
    .execute();
  return start + secret;
}

/** A token as its owner sees it. */
export interface OwnToken {
  id: number;
  name: string;
  may: Narrowing | undefined;
  made_at: string;
  until: string | null;
  used_at: string | null;
  used_from: string | null;
}

/** The tokens of somebody, the newest first; of those for one organisation, where it is named. */
export async function tokensOf(
  db: Db,
  account: number,
  organisation?: number,
): Promise<OwnToken[]> {
  const found = await db
    .selectFrom("levadura_token")
    .select(["id", "name", "may", "made_at", "until", "used_at", "used_from"])
    .where("account_id", "=", account)
    .$if(organisation !== undefined, (some) =>
      some.where("organisation_id", "=", organisation ?? null),
    )
    .orderBy("id", "desc")
    .limit(mostTokens)
    .execute();
  return found.map((token) => ({ ...token, may: narrowingIn(token.may) }));
}

/** Ends one of somebody's tokens; gives its name, or undefined where there is no such. */
export async function revokeToken(
  db: Db,
  account: number,
  id: number,
): Promise<string | undefined> {
  const own = db
    .selectFrom("levadura_token")
    .select("name")
    .where("account_id", "=", account)
    .where("id", "=", id);
  const found = await own.executeTakeFirst();
  await db
    .deleteFrom("levadura_token")
    .where("account_id", "=", account)
    .where("id", "=", id)
    .execute();
  return found?.name;
}

/** A token that a request carries. */
export interface SentToken {
  id: number;
  account: number;
  organisation: number | undefined;
  name: string;
  may: Narrowing | undefined;
}

/** How often it is noted that a token is in use, in milliseconds. */
const noted = 60_000;

/** The token that a text is; undefined where it is none that still holds. */
export async function tokenOf(
  db: Db,
  text: string,
  address: string,
): Promise<SentToken | undefined> {
  const secret = text.startsWith(start) ? text.slice(start.length) : undefined;
  if (!isSecret(secret)) return undefined;
  const found = await db
    .selectFrom("levadura_token")
    .select(["id", "account_id", "organisation_id", "name", "may", "until", "used_at"])
    .where("digest", "=", digestOf(secret))
    .executeTakeFirst();
  const at = Date.now();
  if (!found || (found.until !== null && found.until <= atSecond(at))) return undefined;
  if (found.used_at === null || found.used_at < atSecond(at - noted)) {
    await db
      .updateTable("levadura_token")
      .set({ used_at: atSecond(at), used_from: address.slice(0, 60) })
      .where("id", "=", found.id)
      .execute();
  }
  return {
    id: found.id,
    account: found.account_id,
    organisation: found.organisation_id ?? undefined,
    name: found.name,
    may: narrowingIn(found.may),
  };
}

const narrowing = z.record(z.string(), z.array(z.enum(actions)));

/** What a token may do, as the database has it. What can't be read allows nothing. */
function narrowingIn(held: string | null): Narrowing | undefined {
  if (held === null) return undefined;
  try {
    return narrowing.safeParse(JSON.parse(held)).data ?? {};
  } catch {
    return {};
  }
}
