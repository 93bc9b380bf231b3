import type { Configuration } from "openid-client";

/** A provider by which people sign in (OpenID Connect), as the environment says it. */
interface Provider {
  /** Its address, such as `https://login.example`. */
  issuer: URL;
  name: string;
  client: string;
  secret: string | undefined;
  /** The claim that names the groups of a person; without it, groups are those of the application. */
  groups: string | undefined;
}

/** What the provider says of somebody. */
export interface Claims {
  issuer: string;
  subject: string;
  name: string;
  /** Only an address that the provider has checked. */
  email: string | undefined;
  groups: readonly string[] | undefined;
}

/** What has to come back with an answer. */
export interface Asked {
  state: string;
  nonce: string;
  verifier: string;
}

function provider(): Provider | undefined {
  const {
    SIGN_IN_PROVIDER: issuer = "",
    SIGN_IN_CLIENT: client = "",
    SIGN_IN_SECRET: secret,
    SIGN_IN_NAME: name,
    SIGN_IN_GROUPS: groups,
  } = process.env;
  if (!URL.canParse(issuer) || client === "") return undefined;
  const url = new URL(issuer);
  return { issuer: url, client, secret, groups: groups || undefined, name: name || url.hostname };
}

/** What the provider is called; undefined where there is none. */
export function providerName(): string | undefined {
  return provider()?.name;
}

let found: Promise<Configuration> | undefined;

async function configuration({ issuer, client, secret }: Provider): Promise<Configuration> {
  const { allowInsecureRequests, discovery } = await import("openid-client");
  // Without HTTPS only on this machine, where nobody listens in.
  const isLocal = ["localhost", "127.0.0.1", "[::1]"].includes(issuer.hostname);
  const plain = issuer.protocol === "http:" && isLocal;
  found ??= discovery(issuer, client, secret, undefined, {
    timeout: 10,
    ...(plain && { execute: [allowInsecureRequests] }),
  });
  return found.catch((error) => {
    found = undefined;
    throw error;
  });
}

/** The provider as it describes itself, with the address of its keys; undefined where there is none. */
export async function knownProvider(): Promise<
  { issuer: string; keysAt: string; client: string } | undefined
> {
  const one = provider();
  if (!one) return undefined;
  const { issuer, jwks_uri: keysAt } = (await configuration(one)).serverMetadata();
  return keysAt === undefined ? undefined : { issuer, keysAt, client: one.client };
}

/** Where somebody goes to sign in, and what has to come back with them; `back` is the address for the answer. */
export async function beginAt(back: string): Promise<{ address: URL; asked: Asked } | undefined> {
  const one = provider();
  if (!one) return undefined;
  const openid = await import("openid-client");
  const asked = {
    state: openid.randomState(),
    nonce: openid.randomNonce(),
    verifier: openid.randomPKCECodeVerifier(),
  };
  const address = openid.buildAuthorizationUrl(await configuration(one), {
    redirect_uri: back,
    scope: "openid email profile",
    state: asked.state,
    nonce: asked.nonce,
    code_challenge: await openid.calculatePKCECodeChallenge(asked.verifier),
    code_challenge_method: "S256",
  });
  return { address, asked };
}

/** What the provider says of somebody who came back; throws where the answer isn't the one to what was asked. */
export async function claimsOf(answer: URL, asked: Asked): Promise<Claims | undefined> {
  const one = provider();
  if (!one) return undefined;
  const openid = await import("openid-client");
  const config = await configuration(one);
  const tokens = await openid.authorizationCodeGrant(config, answer, {
    expectedState: asked.state,
    expectedNonce: asked.nonce,
    pkceCodeVerifier: asked.verifier,
    idTokenExpected: true,
  });
  const token = tokens.claims();
  if (!token) return undefined;
  const more = config.serverMetadata().userinfo_endpoint
    ? await openid.fetchUserInfo(config, tokens.access_token, token.sub)
    : {};
  const said: Readonly<Record<string, unknown>> = { ...token, ...more };
  const text = (name: string) => (typeof said[name] === "string" ? (said[name] as string) : "");
  const listed = one.groups === undefined ? undefined : said[one.groups];
  return {
    issuer: token.iss,
    subject: token.sub,
    name: (text("name") || text("preferred_username") || text("email") || token.sub).slice(0, 120),
    email: said.email_verified === true && text("email") ? text("email") : undefined,
    groups: Array.isArray(listed) ? listed.slice(0, 1000).map(String) : one.groups && [],
  } as Claims;
}
