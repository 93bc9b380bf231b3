import { createHash, randomBytes } from "node:crypto";

/** A secret that nobody can guess: 32 random bytes, as 43 characters. */
export function newSecret(): string {
  return randomBytes(32).toString("base64url");
}

/** Whether a text can be such a secret; anything else needn't be looked for. */
export function isSecret(text: string | undefined): text is string {
  return text !== undefined && /^[\w-]{43}$/.test(text);
}

/** What the database has of a secret: whoever reads it can't use it. */
export function digestOf(secret: string): string {
  return createHash("sha256").update(secret).digest("hex");
}
