import type { Context } from "hono";
import { localAddress } from "../entity/links.ts";
import { noteEvent } from "../store/audit.ts";
import { accountTables } from "./account-tables.ts";
import { type Account, organisationsOf } from "./accounts.ts";
import { codePath } from "./addresses.ts";
import { startPage } from "./kept-views.ts";
import { newLink } from "./links.ts";
import type { Scope } from "./scope.ts";
import { beginSession, endSession } from "./sessions.ts";

/** For how many hours a code can be typed after the password. */
const codeHours = 10 / 60;

/** Signs somebody in who has shown who they are, and leads them where they wanted to go. */
export async function letIn(
  c: Context,
  scope: Scope,
  account: Pick<Account, "id" | "name">,
  to: string,
): Promise<Response> {
  const db = accountTables(scope.db);
  await endSession(c, db);
  await beginSession(c, db, account.id);
  const [organisation = 0] = scope.access?.organisations
    ? await organisationsOf(db, account.id)
    : [];
  const there = scope.access?.organisations ? scope.inOrganisation(organisation) : scope;
  const person = there.as(account);
  await noteEvent(person, "sign in");
  const asked = localAddress(to) ?? "/";
  return c.redirect(asked === "/" ? ((await startPage(person)) ?? asked) : asked, 303);
}

/** The same, unless they have a second factor: then they are asked for a code first. */
export async function letInOrAsk(
  c: Context,
  scope: Scope,
  account: Account,
  to: string,
): Promise<Response> {
  if (account.totp_secret === null) return letIn(c, scope, account, to);
  const made = { purpose: "second", account: account.id, hours: codeHours } as const;
  const secret = await newLink(accountTables(scope.db), made);
  return c.redirect(`${codePath}/${secret}?${new URLSearchParams({ to })}`, 303);
}
