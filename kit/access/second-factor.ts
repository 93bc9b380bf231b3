import { type Kysely, sql } from "kysely";
import { inTransaction } from "../store/transactions.ts";
import type { AccountTables } from "./account-tables.ts";
import type { Account } from "./accounts.ts";
import { digestOf, newSecret } from "./secrets.ts";

type Db = Kysely<AccountTables>;

/** How long a code holds, in seconds, and how many codes around now are taken: clocks differ. */
const period = 30;
const around = 1;

const recoveryCodes = 10;

/** A new secret, as people type it into their app: 32 letters and digits of base 32. */
export async function newKey(): Promise<string> {
  const { Secret } = await import("otpauth");
  return new Secret({ size: 20 }).base32;
}

/** Whether a text can be such a secret. */
export function isKey(text: string): boolean {
  return /^[A-Z2-7]{32}$/.test(text);
}

/** The picture in SVG by which an app learns a secret: it says `otpauth://totp/...`. */
export async function keyPicture(application: string, email: string, key: string): Promise<string> {
  const address = (await totpOf(key, application, email)).toString();
  const { default: qrCode } = await import("qrcode");
  return qrCode.toString(address, { type: "svg", margin: 2 });
}

/** The step of time whose code somebody typed (RFC 6238); undefined where it is none of now. */
export async function stepOf(key: string, code: string): Promise<number | undefined> {
  if (!/^\d{6}$/.test(code)) return undefined;
  const delta = (await totpOf(key)).validate({ token: code, window: around });
  return delta === null ? undefined : Math.floor(Date.now() / 1000 / period) + delta;
}

async function totpOf(key: string, issuer = "", label = "") {
  const { Secret, TOTP } = await import("otpauth");
  return new TOTP({ issuer, label, secret: Secret.fromBase32(key), period, digits: 6 });
}

/** Turns the second factor on, and gives the recovery codes. */
export async function turnOn(db: Db, id: number, key: string, step: number): Promise<string[]> {
  return inTransaction(db, async (trx) => {
    const set = { totp_secret: key, totp_step: step };
    await trx.updateTable("levadura_account").set(set).where("id", "=", id).execute();
    return replaceRecovery(trx, id);
  });
}

/** Turns it off. */
export async function turnOff(db: Db, id: number): Promise<void> {
  await inTransaction(db, async (trx) => {
    const set = { totp_secret: null, totp_step: null };
    await trx.updateTable("levadura_account").set(set).where("id", "=", id).execute();
    await trx.deleteFrom("levadura_recovery").where("account_id", "=", id).execute();
  });
}

/** Gives other recovery codes; those from before no longer work. */
export async function replaceRecovery(db: Db, id: number): Promise<string[]> {
  const codes = Array.from({ length: recoveryCodes }, newRecoveryCode);
  await db.deleteFrom("levadura_recovery").where("account_id", "=", id).execute();
  const rows = codes.map((code) => ({ digest: digestOf(plain(code)), account_id: id }));
  await db.insertInto("levadura_recovery").values(rows).execute();
  return codes;
}

/** 16 letters and digits in fours: 80 bits that nobody guesses. */
function newRecoveryCode(): string {
  const letters = newSecret()
    .toLowerCase()
    .replace(/[^a-z0-9]/g, "");
  if (letters.length < 16) return newRecoveryCode();
  return (letters.slice(0, 16).match(/.{4}/g) ?? []).join("-");
}

function plain(code: string): string {
  return code.toLowerCase().replace(/[^a-z0-9]/g, "");
}

/** How many recovery codes somebody has left. */
export async function recoveryLeft(db: Db, id: number): Promise<number> {
  const { total } = await db
    .selectFrom("levadura_recovery")
    .select(({ fn }) => fn.countAll().as("total"))
    .where("account_id", "=", id)
    .executeTakeFirstOrThrow();
  return Number(total);
}

/** Uses a code of somebody's app, or one of their recovery codes; false for a wrong one, and for one that was used. */
export async function useCode(
  db: Db,
  { id, totp_secret: key }: Account,
  typed: string,
): Promise<boolean> {
  if (key === null) return false;
  const code = typed.replace(/\s/g, "").slice(0, 40);
  const step = await stepOf(key, code);
  if (step !== undefined) {
    const { numUpdatedRows } = await db
      .updateTable("levadura_account")
      .set({ totp_step: step })
      .where("id", "=", id)
      .where(sql<boolean>`coalesce(totp_step, 0) < ${step}`)
      .executeTakeFirst();
    return numUpdatedRows > 0n;
  }
  const { numDeletedRows } = await db
    .deleteFrom("levadura_recovery")
    .where("account_id", "=", id)
    .where("digest", "=", digestOf(plain(code)))
    .executeTakeFirst();
  return numDeletedRows > 0n;
}
