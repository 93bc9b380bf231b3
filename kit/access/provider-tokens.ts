import type { JWTVerifyGetKey } from "jose";
import { logError } from "../store/log.ts";
import { knownProvider } from "./provider.ts";

/** The keys of providers, by the addresses at which these have them. */
const keys = new Map<string, JWTVerifyGetKey>();

/**
 * As whom the provider knows whoever has a token of it: a signed one (RFC 7519), for this application. It is for it where its
 * audience is API_AUDIENCE, or without that the client as which the application signs people in. Undefined for any other.
 */
export async function subjectOfToken(
  text: string,
): Promise<{ issuer: string; subject: string } | undefined> {
  if (!/^[\w-]+\.[\w-]+\.[\w-]+$/.test(text)) return undefined;
  const provider = await knownProvider().catch((error) => {
    logError(error, "asking the sign-in provider");
  });
  if (!provider) return undefined;
  const { issuer, keysAt, client } = provider;
  const { createRemoteJWKSet, errors, jwtVerify } = await import("jose");
  const known = keys.get(keysAt) ?? createRemoteJWKSet(new URL(keysAt), { timeoutDuration: 5000 });
  keys.set(keysAt, known);
  try {
    const { payload } = await jwtVerify(text, known, {
      issuer,
      audience: process.env.API_AUDIENCE || client,
      requiredClaims: ["sub", "exp"],
      clockTolerance: 5,
    });
    return payload.sub === undefined ? undefined : { issuer, subject: payload.sub };
  } catch (error) {
    if (!(error instanceof errors.JOSEError)) logError(error, "a token of the sign-in provider");
    return undefined;
  }
}
