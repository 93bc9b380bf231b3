import type { Context } from "hono";
import { localAddress } from "../entity/links.ts";
import type { Feature } from "../features/feature.ts";
import { email as emailField } from "../fields/email.tsx";
import { clientAddress } from "../http/client-address.ts";
import { type SentForm, sentForm, sentText } from "../http/sent-form.ts";
import { isMailboxOpen } from "../mail/mailbox-open.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage } from "../ui/layout.tsx";
import { accountTables } from "./account-tables.ts";
import { type Account, accountOf, accountWithEmail, keepPassword, sameEmail } from "./accounts.ts";
import {
  forgottenPath,
  mailboxPath,
  samplePath,
  signInPath,
  signOutPath,
  signUpPath,
  welcomePath,
} from "./addresses.ts";
import { attemptMinutes, countAttempt, forgetAttempts, type Limit } from "./attempts.ts";
import { groupLabels } from "./group-labels.ts";
import { letIn, letInOrAsk } from "./let-in.tsx";
import { tellChange } from "./letters.ts";
import { linkOf } from "./links.ts";
import { OtherWays } from "./other-ways.tsx";
import { hashPassword, isPassword, passwordTrouble } from "./passwords.ts";
import { type Errors, FormProblem, PlainInput } from "./plain-form.tsx";
import { hasSamplePeople, samplePerson } from "./sample-people.ts";
import type { Scope } from "./scope.ts";
import { endSession } from "./sessions.ts";

/** Signing in and out, and the links by which people choose a password. */
export const signIn: Feature = {
  routes: [
    {
      method: "GET",
      path: signInPath,
      needs: "nothing",
      answer: (c, scope) => {
        const to = new URL(c.req.url).searchParams.get("to") ?? "";
        if (scope.person) return c.redirect(localAddress(to) ?? "/", 302);
        return askPassword(c, scope, { email: "", to, errors: new Map() });
      },
    },
    { method: "POST", path: signInPath, needs: "nothing", answer: signInSent },
    {
      method: "POST",
      path: signOutPath,
      needs: "person",
      answer: async (c, scope) => {
        await endSession(c, accountTables(scope.db));
        await noteEvent(scope, "sign out");
        return c.redirect(signInPath, 303);
      },
    },
    { method: "POST", path: samplePath, needs: "nothing", answer: sampleSent },
    { method: "GET", path: `${welcomePath}/:secret`, needs: "nothing", answer: welcome },
    { method: "POST", path: `${welcomePath}/:secret`, needs: "nothing", answer: welcomeSent },
  ],
};

/** How often a password may be tried: for an account from an address, for the account, and from the address. */
function limitsFor(email: string, address: string): Limit[] {
  return [
    { subject: `both ${address} ${email}`, most: 10 },
    { subject: `account ${email}`, most: 100 },
    { subject: `address ${address}`, most: 200 },
  ];
}

async function signInSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const email = sameEmail(sentText(data, "email"));
  const to = sentText(data, "to");
  const db = accountTables(scope.db);
  const limits = limitsFor(email, clientAddress(c));
  const refuse = (message: string, status: number) =>
    askPassword(c, scope, { email, to, errors: new Map([["", message]]) }, status);
  if (!(await countAttempt(db, limits))) {
    return refuse(scope.messages.tooManyAttempts(attemptMinutes), 429);
  }
  const account = await accountWithEmail(db, email);
  // It is asked of unknown accounts, too: that takes as long, and the answer is the same.
  const right = await isPassword(account?.password, sentText(data, "password"));
  if (!account || !right || account.suspended_at !== null) {
    await noteEvent(scope, "sign in refused", account ? { account: account.name } : {});
    return refuse(scope.messages.wrongPassword, 422);
  }
  await forgetAttempts(db, limits.slice(0, 2));
  if (account.waiting_at !== null) return refuse(scope.messages.mustWait, 403);
  return letInOrAsk(c, scope, account, to);
}

/** Signs in as the sample of a group, while the application is being developed. */
async function sampleSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const db = accountTables(scope.db);
  const id = hasSamplePeople(scope) && (await samplePerson(scope, sentText(data, "group")));
  if (!id) return c.notFound();
  const account = await accountOf(db, id);
  return account ? letIn(c, scope, account, sentText(data, "to")) : c.notFound();
}

function askPassword(
  c: Context,
  scope: Scope,
  { email, to, errors }: { email: string; to: string; errors: Errors },
  status = 200,
) {
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.signIn}</h1>
      <FormProblem errors={errors} />
      <form method="post" action={signInPath} class="narrow-form">
        <input type="hidden" name="to" value={to} />
        <EmailInput scope={scope} email={email} errors={errors} />
        <PlainInput
          name="password"
          type="password"
          label={messages.password}
          errors={errors}
          autocomplete="current-password"
        />
        <button class="btn btn-primary" type="submit">
          {messages.signIn}
        </button>
        <p class="mt-3 mb-0">
          <a href={forgottenPath}>{messages.forgottenLink}</a>
          {scope.access?.signUp && (
            <>
              {" · "}
              <a href={signUpPath}>{messages.signUp}</a>
            </>
          )}
        </p>
      </form>
      <OtherWays scope={scope} to={to} />
      {hasSamplePeople(scope) && (
        <form method="post" action={samplePath} class="sheet narrow-form">
          <h2>{messages.tryAs}</h2>
          <input type="hidden" name="to" value={to} />
          <div class="buttons">
            {groupLabels(scope).map(([name, label]) => (
              <button class="btn btn-outline-secondary" type="submit" name="group" value={name}>
                {label}
              </button>
            ))}
          </div>
          <p class="form-text mt-3">{messages.onlyInRise}</p>
        </form>
      )}
    </>
  );
  return showPage(c, scope, page, { title: messages.signIn, status });
}

export function EmailInput({
  scope,
  email,
  errors,
}: {
  scope: Scope;
  email: string;
  errors: Errors;
}) {
  return (
    <PlainInput
      name="email"
      type="email"
      label={scope.messages.emailAddress}
      value={email}
      errors={errors}
      autocomplete="username"
    />
  );
}

/** The account that the link of a request is for. */
async function accountOfLink(c: Context, scope: Scope): Promise<Account | undefined> {
  const link = await linkOf(accountTables(scope.db), c.req.param("secret"), "password");
  return link?.account;
}

async function welcome(c: Context, scope: Scope) {
  const account = await accountOfLink(c, scope);
  if (!account) return linkEnded(c, scope);
  return choosePassword(c, scope, account, { email: account.email ?? "", errors: new Map() });
}

async function welcomeSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const account = await accountOfLink(c, scope);
  if (!account) return linkEnded(c, scope);
  const db = accountTables(scope.db);
  const email = sameEmail(account.email ?? sentText(data, "email"));
  const errors = chosenErrors(scope, data, [account.name, email]);
  const read = emailField({ label: "" }).read([email], scope);
  if ("error" in read) errors.set("email", read.error);
  else if (account.email === null && (await accountWithEmail(db, email))) {
    errors.set("email", scope.messages.emailTaken);
  }
  if (errors.size > 0) return choosePassword(c, scope, account, { email, errors }, 422);
  const kept = await keepPassword(db, account.id, {
    email,
    password: await hashPassword(sentText(data, "password")),
    secret: c.req.param("secret") ?? "",
    letsIn: scope.access?.signUp === "open",
  });
  if (!kept) return linkEnded(c, scope);
  await noteEvent(scope.as(account), "password");
  if (account.password !== null) await tellChange(scope, account, ({ password }) => password);
  const now = await accountOf(db, account.id);
  if (!now) return linkEnded(c, scope);
  if (now.waiting_at !== null) return saySo(c, scope, scope.messages.mustWait);
  return letInOrAsk(c, scope, now, "/");
}

/** What is wrong with a password that somebody chose, and typed twice. */
export function chosenErrors(
  { messages }: Scope,
  data: SentForm,
  own: readonly string[],
): Map<string, string> {
  const errors = new Map<string, string>();
  const password = sentText(data, "password");
  const trouble = passwordTrouble(messages, password, own);
  if (trouble) errors.set("password", trouble);
  else if (password !== sentText(data, "again")) errors.set("again", messages.notTheSame);
  return errors;
}

function choosePassword(
  c: Context,
  scope: Scope,
  { name, email: known }: Account,
  { email, errors }: { email: string; errors: Errors },
  status = 200,
) {
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.welcome(name)}</h1>
      <p>{messages.choosePassword(scope.settings.name)}</p>
      <form method="post" class="narrow-form">
        {known === null ? (
          <EmailInput scope={scope} email={email} errors={errors} />
        ) : (
          <>
            <p>
              {messages.emailAddress}: <strong>{known}</strong>
            </p>
            <input type="hidden" name="email" value={known} autocomplete="username" />
          </>
        )}
        <NewPassword scope={scope} errors={errors} />
        <button class="btn btn-primary" type="submit">
          {messages.savePassword}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.welcome(name), status });
}

/** The input for the password that somebody has, before something of their account is changed. */
export function CurrentPassword({ scope, errors }: { scope: Scope; errors: Errors }) {
  return (
    <PlainInput
      name="current"
      type="password"
      label={scope.messages.currentPassword}
      errors={errors}
      autocomplete="current-password"
    />
  );
}

/** The inputs for a new password. */
export function NewPassword({ scope: { messages }, errors }: { scope: Scope; errors: Errors }) {
  return (
    <>
      <PlainInput
        name="password"
        type="password"
        label={messages.newPassword}
        hint={messages.passwordHint}
        errors={errors}
        autocomplete="new-password"
      />
      <PlainInput
        name="again"
        type="password"
        label={messages.passwordAgain}
        errors={errors}
        autocomplete="new-password"
      />
    </>
  );
}

/** Says something to somebody who isn't signed in. */
export function saySo(
  c: Context,
  scope: Scope,
  text: string,
  { title = scope.messages.signIn, status = 200 }: { title?: string; status?: number } = {},
) {
  const page = (
    <>
      <h1>{title}</h1>
      <p>{text}</p>
      <a class="btn btn-primary" href={signInPath}>
        {scope.messages.signIn}
      </a>
      {isMailboxOpen() && (
        <a class="btn btn-outline-secondary ms-2" href={mailboxPath}>
          {scope.messages.mailbox}
        </a>
      )}
    </>
  );
  return showPage(c, scope, page, { title, status });
}

export function linkEnded(c: Context, scope: Scope) {
  const { messages } = scope;
  return saySo(c, scope, messages.askAnother, { title: messages.linkEnded, status: 404 });
}
