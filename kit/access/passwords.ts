import { randomBytes, type ScryptOptions, scrypt, timingSafeEqual } from "node:crypto";
import type { Messages } from "../messages/en.ts";
import { commonPasswords } from "./common-passwords.ts";

/** How passwords are hashed (RFC 7914): 128 MB and some tenths of a second for each. */
const cost = { N: 2 ** 17, r: 8, p: 1 };
const mostMemory = 256 * 1024 * 1024;
const hashBytes = 32;

/** How long passwords are, in characters. */
const length = { least: 12, most: 128 };

/** A password as the database keeps it, with what it was hashed by: `scrypt:131072:8:1:salt:hash`. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const hash = await hashed(password, salt, cost);
  const { N, r, p } = cost;
  return ["scrypt", N, r, p, salt.toString("base64url"), hash.toString("base64url")].join(":");
}

/**
 * Whether a password is the one that was kept. It takes as long where nothing was kept, so that nobody learns from the
 * time whether there is an account.
 */
export async function isPassword(kept: string | null | undefined, typed: string): Promise<boolean> {
  const [, N, r, p, salt = "", hash = ""] =
    /^scrypt:(\d{1,8}):(\d{1,3}):(\d{1,3}):([\w-]+):([\w-]+)$/.exec(kept ?? "") ?? [];
  const how = N === undefined ? cost : { N: Number(N), r: Number(r), p: Number(p) };
  const wanted = Buffer.from(hash, "base64url");
  const found = await hashed(typed.slice(0, 4 * length.most), Buffer.from(salt, "base64url"), how);
  return wanted.length === found.length && timingSafeEqual(wanted, found);
}

/** Why a password can't be chosen; undefined where it can. `own` are words that are the person's own. */
export function passwordTrouble(
  messages: Messages,
  password: string,
  own: readonly string[],
): string | undefined {
  const characters = [...password].length;
  if (characters < length.least) return messages.atLeastCharacters(length.least);
  if (characters > length.most) return messages.atMostCharacters(length.most);
  const plain = password.toLowerCase();
  const repeats = /^(.{1,4})\1+.{0,3}$/su.test(plain);
  if (repeats || commonPasswords.has(plain) || own.some((word) => plain === word.toLowerCase())) {
    return messages.commonPassword;
  }
  return undefined;
}

/** Two at a time: each takes much memory, and whoever sends many must not take all of it. */
const mostAtOnce = 2;
let running = 0;
const waiting: (() => void)[] = [];

async function hashed(password: string, salt: Buffer, how: ScryptOptions): Promise<Buffer> {
  if (running >= mostAtOnce) await new Promise<void>((resolve) => waiting.push(resolve));
  else running++;
  try {
    return await new Promise((resolve, reject) =>
      scrypt(password, salt, hashBytes, { ...how, maxmem: mostMemory }, (error, hash) =>
        error ? reject(error) : resolve(hash),
      ),
    );
  } finally {
    const next = waiting.shift();
    // Its place is handed on.
    if (next) next();
    else running--;
  }
}
