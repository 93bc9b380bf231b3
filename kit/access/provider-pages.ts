import type { Context } from "hono";
import { deleteCookie, getCookie, setCookie } from "hono/cookie";
import * as z from "zod";
import type { Feature } from "../features/feature.ts";
import { isSecureAddress, originFor } from "../http/public-address.ts";
import { noteEvent } from "../store/audit.ts";
import { logError } from "../store/log.ts";
import { accountTables } from "./account-tables.ts";
import {
  type Account,
  accountOf,
  accountWithEmail,
  addAccount,
  admit,
  changeAccount,
  endSessions,
} from "./accounts.ts";
import { providerPath } from "./addresses.ts";
import { groupLabels } from "./group-labels.ts";
import { accountOfSubject, keepSubject } from "./identities.ts";
import { letInOrAsk } from "./let-in.tsx";
import { placeOfNewcomers } from "./newcomers.ts";
import { isOwnGroup } from "./own-groups.ts";
import { type Asked, beginAt, type Claims, claimsOf, providerName } from "./provider.ts";
import type { Scope } from "./scope.ts";
import { saySo } from "./sign-in.tsx";

const answerPath = `${providerPath}/answer`;

/** Signing in by a provider. */
export const provider: Feature = {
  routes: [
    { method: "GET", path: providerPath, needs: "nothing", answer: begin },
    { method: "GET", path: answerPath, needs: "nothing", answer: answered },
  ],
};

/** What was asked stays with the browser until the answer comes, for some minutes. */
const cookie = "provider";
const minutes = 10;
const askedShape = z.object({
  state: z.string().max(200),
  nonce: z.string().max(200),
  verifier: z.string().max(200),
  to: z.string().max(2000),
});

async function begin(c: Context, scope: Scope) {
  if (!providerName()) return c.notFound();
  const begun = await beginAt(`${originFor(c.req.url)}${answerPath}`).catch((error) => {
    logError(error, "asking the sign-in provider");
  });
  if (!begun) return saySo(c, scope, scope.messages.providerAway, { status: 503 });
  const to = new URL(c.req.url).searchParams.get("to") ?? "";
  const asked: Asked & { to: string } = { ...begun.asked, to: to.slice(0, 1000) };
  setCookie(c, cookie, JSON.stringify(asked), {
    path: providerPath,
    httpOnly: true,
    sameSite: "Lax",
    secure: isSecureAddress(),
    maxAge: minutes * 60,
  });
  return c.redirect(begun.address.href, 302);
}

async function answered(c: Context, scope: Scope) {
  const asked = readAsked(getCookie(c, cookie));
  deleteCookie(c, cookie, { path: providerPath });
  const refuse = async (account?: Account) => {
    await noteEvent(scope, "sign in refused", account ? { account: account.name } : {});
    return saySo(c, scope, scope.messages.providerRefused, { status: 403 });
  };
  if (!asked || !providerName()) return refuse();
  // The address as the provider knows it, not as a proxy calls it.
  const answer = new URL(`${originFor(c.req.url)}${answerPath}${new URL(c.req.url).search}`);
  const claims = await claimsOf(answer, asked).catch((error) => {
    logError(error, "the answer of the sign-in provider");
  });
  if (!claims) return refuse();
  const account = await accountFor(scope, claims);
  if (!account || account.suspended_at !== null || account.waiting_at !== null) {
    return refuse(account);
  }
  return letInOrAsk(c, scope, account, asked.to);
}

function readAsked(text: string | undefined): (Asked & { to: string }) | undefined {
  try {
    return askedShape.safeParse(JSON.parse(text ?? "")).data;
  } catch {
    return undefined;
  }
}

/**
 * The account of somebody whom the provider knows: the one that signed in so before, or else the one with the same
 * address, which both have checked; a new one only where people may sign up.
 */
async function accountFor(scope: Scope, claims: Claims): Promise<Account | undefined> {
  const db = accountTables(scope.db);
  const known = await accountOfSubject(db, claims);
  const invited =
    known === undefined && claims.email ? await accountWithEmail(db, claims.email) : undefined;
  const id = known ?? invited?.id ?? (await signedUp(scope, claims));
  if (id === undefined) return undefined;
  if (known === undefined) await keepSubject(db, claims, id);
  const isOpen = scope.access?.signUp === "open";
  if (invited && invited.waiting_at !== null && isOpen) await admit(db, id);
  const account = await accountOf(db, id);
  if (!account || claims.groups === undefined) return account;
  const claimed = groupLabels(scope).flatMap(([name]) =>
    claims.groups?.includes(name) ? [name] : [],
  );
  // A provider knows the groups of the model only.
  const groups = [...claimed, ...account.groups.filter(isOwnGroup)];
  if (String([...groups].sort()) === String([...account.groups].sort())) return account;
  const { record_id: record, suspended_at } = account;
  const changed = { groups, record, suspended: suspended_at !== null };
  // The last administrator stays one, whatever the provider says.
  if (!(await changeAccount(db, id, changed))) return account;
  await endSessions(db, id);
  await noteEvent(scope, "account", { name: account.name, groups });
  return accountOf(db, id);
}

async function signedUp(scope: Scope, { name, email }: Claims): Promise<number | undefined> {
  const { access } = scope;
  if (!access?.signUp || email === undefined) return undefined;
  const waits = access.signUp === "confirmed";
  const made = { name, email, ...placeOfNewcomers(access), waits };
  return addAccount(accountTables(scope.db), made);
}
