import type { Context } from "hono";
import type { Kysely } from "kysely";
import { bearerOf } from "../http/bearer.ts";
import { clientAddress } from "../http/client-address.ts";
import { Problem } from "../http/problem.ts";
import { messagesFor } from "../messages/messages.ts";
import type { AccountTables } from "./account-tables.ts";
import { accountOfSubject } from "./identities.ts";
import type { Person } from "./person.ts";
import { subjectOfToken } from "./provider-tokens.ts";
import { countRequest, requestsPerMinute, secondsLeft } from "./request-limit.ts";
import { personOfAccount } from "./sessions.ts";
import { tokenOf } from "./tokens.ts";

/**
 * Whose token a request carries: one that a person made for a program, or one of the provider by which people sign in.
 * Throws a problem where it is no token that holds, and where there were too many requests with it.
 */
export async function personOfToken(
  c: Context,
  db: Kysely<AccountTables>,
  { isOrganised, language }: { isOrganised: boolean; language: string },
): Promise<Person> {
  const text = bearerOf(c) ?? "";
  const { api } = messagesFor(language);
  const refuse = () =>
    new Problem("sign-in", api.wrongToken, [], {
      "www-authenticate": `Bearer realm="api", error="invalid_token"`,
    });
  const found = (await ownToken(c, db, text)) ?? (await providerToken(db, text));
  if (!found) throw refuse();
  if (!(await countRequest(db, found.subject))) {
    const headers = { "retry-after": String(secondsLeft()) };
    throw new Problem("too-many", api.tooMany(requestsPerMinute()), [], headers);
  }
  const person = await personOfAccount(db, found.account, isOrganised, found.organisation ?? 0);
  // Who left the organisation of a token doesn't get into another one by it.
  const isElsewhere = isOrganised && found.organisation !== undefined;
  if (!person || (isElsewhere && person.organisation?.id !== found.organisation)) throw refuse();
  return { ...person, ...(found.token && { token: found.token }) };
}

/** Whose a token is, and by what its requests are counted. */
interface Found {
  account: number;
  organisation?: number | undefined;
  subject: string;
  token?: Person["token"];
}

async function ownToken(
  c: Context,
  db: Kysely<AccountTables>,
  text: string,
): Promise<Found | undefined> {
  const found = await tokenOf(db, text, clientAddress(c));
  if (!found) return undefined;
  const { id, account, organisation, name, may } = found;
  return { account, organisation, subject: `token ${id}`, token: { name, may } };
}

async function providerToken(db: Kysely<AccountTables>, text: string): Promise<Found | undefined> {
  const known = await subjectOfToken(text);
  const account = known && (await accountOfSubject(db, known));
  return account === undefined ? undefined : { account, subject: `account ${account}` };
}
