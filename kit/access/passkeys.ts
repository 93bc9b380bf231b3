import type { AuthenticationResponseJSON, RegistrationResponseJSON } from "@simplewebauthn/server";
import type { Kysely } from "kysely";
import * as z from "zod";
import { now } from "../formula/clock.ts";
import type { AccountTables } from "./account-tables.ts";
import { linkOf, newLink, useLink } from "./links.ts";
import { digestOf } from "./secrets.ts";

type Db = Kysely<AccountTables>;

/** For how many hours a challenge holds. */
const hours = 10 / 60;

/** The most passkeys of one person. */
export const mostPasskeys = 20;

/** Where a passkey is made and used: the origin of the application, and its host. */
export interface Place {
  origin: string;
  application: string;
}

/** A passkey as its owner sees it. */
export interface Passkey {
  id: number;
  name: string;
  made_at: string;
  used_at: string | null;
}

/** The passkeys of somebody, the first one first. */
export function passkeysOf(db: Db, account: number): Promise<Passkey[]> {
  return db
    .selectFrom("levadura_passkey")
    .select(["id", "name", "made_at", "used_at"])
    .where("account_id", "=", account)
    .orderBy("id")
    .execute();
}

/** What a browser needs to make a passkey (WebAuthn). */
export async function creationOptions(
  db: Db,
  { origin, application }: Place,
  { id, name, email }: { id: number; name: string; email: string | null },
) {
  const { generateRegistrationOptions } = await import("@simplewebauthn/server");
  return generateRegistrationOptions({
    rpName: application,
    rpID: new URL(origin).hostname,
    userName: email ?? name,
    userDisplayName: name,
    userID: new TextEncoder().encode(String(id)),
    challenge: await newChallenge(db, id),
    attestationType: "none",
    authenticatorSelection: { residentKey: "required", userVerification: "required" },
  });
}

/** What a browser needs to use one: of whom is found out by the answer. */
export async function requestOptions(db: Db, { origin }: Place) {
  const { generateAuthenticationOptions } = await import("@simplewebauthn/server");
  return generateAuthenticationOptions({
    rpID: new URL(origin).hostname,
    challenge: await newChallenge(db),
    userVerification: "required",
  });
}

async function newChallenge(db: Db, account?: number): Promise<Uint8Array<ArrayBuffer>> {
  const made = { purpose: "passkey", hours, ...(account !== undefined && { account }) } as const;
  return new Uint8Array(Buffer.from(await newLink(db, made), "base64url"));
}

/** Takes a challenge that was given out to somebody, once. */
function taking(db: Db, account: number | undefined) {
  return async (challenge: string): Promise<boolean> => {
    const found = await linkOf(db, challenge, "passkey");
    return found !== undefined && found.account?.id === account && useLink(db, challenge);
  };
}

/** Keeps a passkey that a browser made; false where its answer isn't right. */
export async function keepPasskey(
  db: Db,
  place: Place,
  { account, name, answer }: { account: number; name: string; answer: string },
): Promise<boolean> {
  const response = read(answer) as RegistrationResponseJSON | undefined;
  if (!response) return false;
  const { verifyRegistrationResponse } = await import("@simplewebauthn/server");
  const verified = await verifyRegistrationResponse({
    response,
    expectedChallenge: taking(db, account),
    expectedOrigin: place.origin,
    expectedRPID: new URL(place.origin).hostname,
    requireUserVerification: true,
  }).catch(() => undefined);
  if (!verified?.verified) return false;
  const { credential } = verified.registrationInfo;
  await db
    .insertInto("levadura_passkey")
    .values({
      credential: digestOf(credential.id),
      account_id: account,
      public_key: Buffer.from(credential.publicKey).toString("base64url"),
      counter: credential.counter,
      name,
      made_at: now(),
    })
    .execute();
  return true;
}

/** The number of the account whose passkey a browser used; undefined where its answer isn't right. */
export async function accountOfPasskey(
  db: Db,
  place: Place,
  answer: string,
): Promise<number | undefined> {
  const response = read(answer) as AuthenticationResponseJSON | undefined;
  if (!response) return undefined;
  const known = await db
    .selectFrom("levadura_passkey")
    .selectAll()
    .where("credential", "=", digestOf(response.id))
    .executeTakeFirst();
  if (!known) return undefined;
  const { verifyAuthenticationResponse } = await import("@simplewebauthn/server");
  const verified = await verifyAuthenticationResponse({
    response,
    expectedChallenge: taking(db, undefined),
    expectedOrigin: place.origin,
    expectedRPID: new URL(place.origin).hostname,
    credential: {
      id: response.id,
      publicKey: new Uint8Array(Buffer.from(known.public_key, "base64url")),
      counter: known.counter,
    },
    requireUserVerification: true,
  }).catch(() => undefined);
  if (!verified?.verified) return undefined;
  const { newCounter } = verified.authenticationInfo;
  await db
    .updateTable("levadura_passkey")
    .set({ counter: newCounter, used_at: now() })
    .where("id", "=", known.id)
    .execute();
  return known.account_id;
}

/** Removes one of somebody's passkeys. */
export async function removePasskey(db: Db, account: number, id: number): Promise<void> {
  await db
    .deleteFrom("levadura_passkey")
    .where("account_id", "=", account)
    .where("id", "=", id)
    .execute();
}

/** What is looked at of an answer before the package looks at the rest. */
const answerShape = z.looseObject({
  id: z.string().min(1).max(1400),
  rawId: z.string().max(1400),
  type: z.literal("public-key"),
  response: z.looseObject({ clientDataJSON: z.string().max(4000) }),
  clientExtensionResults: z.looseObject({}),
});

function read(answer: string): object | undefined {
  if (answer.length > 20_000) return undefined;
  try {
    return answerShape.safeParse(JSON.parse(answer)).data;
  } catch {
    return undefined;
  }
}
