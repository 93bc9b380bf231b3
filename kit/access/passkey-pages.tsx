import type { Context } from "hono";
import { recordId } from "../entity/links.ts";
import type { Feature } from "../features/feature.ts";
import { text } from "../fields/text.ts";
import { clientAddress } from "../http/client-address.ts";
import { originFor } from "../http/public-address.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { WideTable } from "../ui/wide-table.tsx";
import { accountTables } from "./account-tables.ts";
import { type Account, accountOf } from "./accounts.ts";
import { accountPath, passkeyPath } from "./addresses.ts";
import { attemptMinutes, countAttempt } from "./attempts.ts";
import { letIn } from "./let-in.tsx";
import { tellChange } from "./letters.ts";
import { PasskeyAnswer } from "./passkey-answer.tsx";
import {
  accountOfPasskey,
  creationOptions,
  keepPasskey,
  mostPasskeys,
  type Passkey,
  type Place,
  passkeysOf,
  removePasskey,
  requestOptions,
} from "./passkeys.ts";
import { isPassword } from "./passwords.ts";
import { type Errors, FormProblem, PlainInput } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";
import { CurrentPassword, saySo } from "./sign-in.tsx";

export const ownPasskeysPath = `${accountPath}/passkeys`;

/** Signing in by a passkey, and the page with one's own. The browser's part is in `kit/client/passkeys.ts`. */
export const passkeys: Feature = {
  routes: [
    {
      method: "POST",
      path: `${passkeyPath}/options`,
      needs: "nothing",
      answer: async (c, scope) => {
        const db = accountTables(scope.db);
        const limits = [{ subject: `passkey ${clientAddress(c)}`, most: 100 }];
        if (!(await countAttempt(db, limits))) return c.json({}, 429);
        return c.json(await requestOptions(db, placeOf(c, scope)));
      },
    },
    { method: "POST", path: passkeyPath, needs: "nothing", answer: used },
    {
      method: "GET",
      path: ownPasskeysPath,
      needs: "person",
      answer: (c, scope) => showOwn(c, scope, new Map()),
    },
    { method: "POST", path: `${ownPasskeysPath}/options`, needs: "person", answer: begun },
    { method: "POST", path: ownPasskeysPath, needs: "person", answer: sent },
  ],
};

function placeOf(c: Context, scope: Scope): Place {
  return { origin: originFor(c.req.url), application: scope.settings.name };
}

async function used(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const db = accountTables(scope.db);
  const id = await accountOfPasskey(db, placeOf(c, scope), sentText(data, "answer"));
  const account = id === undefined ? undefined : await accountOf(db, id);
  if (!account || account.suspended_at !== null || account.waiting_at !== null) {
    await noteEvent(scope, "sign in refused", account ? { account: account.name } : {});
    return saySo(c, scope, scope.messages.passkeyRefused, { status: 422 });
  }
  // A passkey asks for a finger or a PIN itself: it is two factors.
  return letIn(c, scope, account, sentText(data, "to"));
}

async function own({ db, person }: Scope): Promise<Account | undefined> {
  return person && accountOf(accountTables(db), person.id);
}

/** The current password comes first, where there is one: whoever finds an open session can't stay by a passkey. */
async function begun(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const account = await own(scope);
  const db = accountTables(scope.db);
  if (!account) return c.json({}, 404);
  if (!(await countAttempt(db, [{ subject: `own passkey ${account.id}`, most: 10 }]))) {
    return c.json({ error: scope.messages.tooManyAttempts(attemptMinutes) }, 429);
  }
  const isRight =
    account.password === null || (await isPassword(account.password, sentText(data, "current")));
  if (!isRight) return c.json({ error: scope.messages.notYourPassword }, 422);
  return c.json(await creationOptions(db, placeOf(c, scope), account));
}

async function sent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const account = await own(scope);
  if (!account) return c.notFound();
  const db = accountTables(scope.db);
  const { messages } = scope;
  const removed = recordId(sentText(data, "remove"));
  if (removed !== undefined) {
    await removePasskey(db, account.id, removed);
    await noteEvent(scope, "account", { name: account.name, did: "passkey removed" });
    return c.redirect(ownPasskeysPath, 303);
  }
  const name = text({ label: "", max: 120 }).read([sentText(data, "name")], scope);
  if ("error" in name) return showOwn(c, scope, new Map([["name", name.error]]), 422);
  if ((await passkeysOf(db, account.id)).length >= mostPasskeys) {
    return showOwn(c, scope, new Map([["", messages.chooseAtMost(mostPasskeys)]]), 422);
  }
  const made = { account: account.id, name: name.value, answer: sentText(data, "answer") };
  if (!(await keepPasskey(db, placeOf(c, scope), made))) {
    return showOwn(c, scope, new Map([["", messages.passkeyFailed]]), 422);
  }
  await noteEvent(scope, "account", { name: account.name, did: "passkey added" });
  await tellChange(scope, account, ({ passkey }) => passkey);
  return c.redirect(ownPasskeysPath, 303);
}

async function showOwn(c: Context, scope: Scope, errors: Errors, status = 200) {
  const { messages } = scope;
  const account = await own(scope);
  if (!account) return c.notFound();
  const known = await passkeysOf(accountTables(scope.db), account.id);
  const page = (
    <>
      <Trail scope={scope} to={accountPath} label={messages.yourAccount} />
      <h1>{messages.passkeys}</h1>
      <p>{messages.passkeysHelp}</p>
      <FormProblem errors={errors} />
      {known.length > 0 && <Passkeys scope={scope} known={known} />}
      <form
        method="post"
        action={ownPasskeysPath}
        class="sheet narrow-form"
        data-passkey="create"
        data-options={`${ownPasskeysPath}/options`}
        data-failed={messages.passkeyFailed}
        hidden
      >
        <h2>{messages.addPasskey}</h2>
        <PlainInput name="name" label={messages.passkeyName} errors={errors} />
        {account.password !== null && <CurrentPassword scope={scope} errors={errors} />}
        <PasskeyAnswer />
        <button class="btn btn-primary" type="submit">
          {messages.addPasskey}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.passkeys, status });
}

function Passkeys({ scope, known }: { scope: Scope; known: readonly Passkey[] }) {
  const { messages, format } = scope;
  return (
    <WideTable label={messages.passkeys}>
      <table class="table">
        <thead>
          <tr>
            <th scope="col">{messages.name}</th>
            <th scope="col">{messages.lastUsed}</th>
            <th scope="col">
              <span class="visually-hidden">{messages.remove}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {known.map(({ id, name, used_at }) => (
            <tr>
              <td>{name}</td>
              <td>{used_at === null ? messages.neverUsed : format.dateTime(used_at)}</td>
              <td class="text-end">
                <form method="post" action={ownPasskeysPath}>
                  <input type="hidden" name="remove" value={id} />
                  <button class="btn btn-outline-danger btn-sm" type="submit">
                    {messages.remove}
                  </button>
                </form>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </WideTable>
  );
}
