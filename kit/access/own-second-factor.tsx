import type { Context } from "hono";
import { raw } from "hono/html";
import type { Feature } from "../features/feature.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { accountTables } from "./account-tables.ts";
import { type Account, accountOf, endSessions } from "./accounts.ts";
import { accountPath } from "./addresses.ts";
import { attemptMinutes, countAttempt } from "./attempts.ts";
import { tellChange } from "./letters.ts";
import { isPassword } from "./passwords.ts";
import { type Errors, FormProblem, PlainInput } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";
import {
  isKey,
  keyPicture,
  newKey,
  recoveryLeft,
  replaceRecovery,
  stepOf,
  turnOff,
  turnOn,
  useCode,
} from "./second-factor.ts";
import { sessionOf } from "./sessions.ts";
import { CurrentPassword } from "./sign-in.tsx";

export const secondFactorPath = `${accountPath}/second-factor`;

/** The page on which people set up their second factor, or turn it off. */
export const ownSecondFactor: Feature = {
  routes: [
    { method: "GET", path: secondFactorPath, needs: "person", answer: begin },
    { method: "POST", path: secondFactorPath, needs: "person", answer: sent },
  ],
};

async function own({ db, person }: Scope): Promise<Account | undefined> {
  const account = person && (await accountOf(accountTables(db), person.id));
  // Without a password there is nothing that a second factor would be beside.
  return account && account.password !== null ? account : undefined;
}

async function begin(c: Context, scope: Scope) {
  const account = await own(scope);
  if (!account) return c.notFound();
  return account.totp_secret === null
    ? setUp(c, scope, account, await newKey(), new Map())
    : manage(c, scope, account, new Map());
}

async function sent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const account = await own(scope);
  if (!account) return c.notFound();
  const db = accountTables(scope.db);
  const { messages } = scope;
  const key = sentText(data, "key");
  const isOn = account.totp_secret !== null;
  if (!isOn && !isKey(key)) return c.redirect(secondFactorPath, 303);
  const again = (errors: Errors, status: number) =>
    isOn
      ? manage(c, scope, account, errors, status)
      : setUp(c, scope, account, key, errors, status);
  if (!(await countAttempt(db, [{ subject: `own code ${account.id}`, most: 10 }]))) {
    return again(new Map([["", messages.tooManyAttempts(attemptMinutes)]]), 429);
  }
  const errors = new Map<string, string>();
  if (!(await isPassword(account.password, sentText(data, "current")))) {
    errors.set("current", messages.notYourPassword);
    return again(errors, 422);
  }
  const code = sentText(data, "code").replace(/\s/g, "").slice(0, 40);
  const step = isOn ? undefined : await stepOf(key, code);
  const isRight = isOn ? await useCode(db, account, code) : step !== undefined;
  if (!isRight) return again(new Map([["code", messages.wrongCode]]), 422);
  if (step !== undefined) {
    const codes = await turnOn(db, account.id, key, step);
    await endSessions(db, account.id, sessionOf(c));
    await noteEvent(scope, "account", { name: account.name, did: "second factor on" });
    await tellChange(scope, account, ({ secondOn }) => secondOn);
    return showRecovery(c, scope, codes);
  }
  if (sentText(data, "do") === "recovery") {
    return showRecovery(c, scope, await replaceRecovery(db, account.id));
  }
  await turnOff(db, account.id);
  await noteEvent(scope, "account", { name: account.name, did: "second factor off" });
  await tellChange(scope, account, ({ secondOff }) => secondOff);
  return c.redirect(`${accountPath}?done=own`, 303);
}

async function setUp(
  c: Context,
  scope: Scope,
  { email }: Account,
  key: string,
  errors: Errors,
  status = 200,
) {
  const { messages, settings } = scope;
  const picture = await keyPicture(settings.name, email ?? "", key);
  const page = (
    <>
      <Trail scope={scope} to={accountPath} label={messages.yourAccount} />
      <h1>{messages.setUpSecond}</h1>
      <p>{messages.scanCode}</p>
      <div class="qr-code">{raw(picture)}</div>
      <p>
        <code>{(key.match(/.{4}/g) ?? []).join(" ")}</code>
      </p>
      <FormProblem errors={errors} />
      <form method="post" action={secondFactorPath} class="narrow-form">
        <input type="hidden" name="key" value={key} />
        <CodeInputs scope={scope} hint={messages.sixDigits} errors={errors} />
        <button class="btn btn-primary" type="submit">
          {messages.turnOnSecond}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.setUpSecond, status });
}

async function manage(c: Context, scope: Scope, { id }: Account, errors: Errors, status = 200) {
  const { messages } = scope;
  const left = await recoveryLeft(accountTables(scope.db), id);
  const page = (
    <>
      <Trail scope={scope} to={accountPath} label={messages.yourAccount} />
      <h1>{messages.secondFactor}</h1>
      <p>
        {messages.secondFactorOn} {messages.recoveryLeft(left)}
      </p>
      <FormProblem errors={errors} />
      <form method="post" action={secondFactorPath} class="narrow-form">
        <CodeInputs scope={scope} hint={messages.codeHint} errors={errors} />
        <div class="buttons">
          <button class="btn btn-outline-secondary" type="submit" name="do" value="recovery">
            {messages.newRecovery}
          </button>
          <button class="btn btn-outline-danger" type="submit" name="do" value="off">
            {messages.turnOffSecond}
          </button>
        </div>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.secondFactor, status });
}

function CodeInputs({ scope, hint, errors }: { scope: Scope; hint: string; errors: Errors }) {
  const { messages } = scope;
  return (
    <>
      <PlainInput
        name="code"
        label={messages.code}
        hint={hint}
        errors={errors}
        autocomplete="one-time-code"
      />
      <CurrentPassword scope={scope} errors={errors} />
    </>
  );
}

function showRecovery(c: Context, scope: Scope, codes: readonly string[]) {
  const { messages } = scope;
  const page = (
    <>
      <Trail scope={scope} to={accountPath} label={messages.yourAccount} />
      <h1>{messages.recoveryCodes}</h1>
      <p>{messages.recoveryHelp}</p>
      <ul class="recovery-codes">
        {codes.map((code) => (
          <li>
            <code>{code}</code>
          </li>
        ))}
      </ul>
      <a class="btn btn-primary" href={accountPath}>
        {messages.yourAccount}
      </a>
    </>
  );
  return showPage(c, scope, page, { title: messages.recoveryCodes });
}
