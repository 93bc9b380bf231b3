import type { Context } from "hono";
import type { Feature } from "../features/feature.ts";
import { email as emailField } from "../fields/email.tsx";
import { text } from "../fields/text.ts";
import { clientAddress } from "../http/client-address.ts";
import { originFor } from "../http/public-address.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { logError } from "../store/log.ts";
import { showPage } from "../ui/layout.tsx";
import { accountTables } from "./account-tables.ts";
import { accountWithEmail, addAccount, sameEmail } from "./accounts.ts";
import { forgottenPath, signInPath, signUpPath, welcomeAddress } from "./addresses.ts";
import { attemptMinutes, countAttempt } from "./attempts.ts";
import { writeTo } from "./letters.ts";
import { newLink } from "./links.ts";
import { placeOfNewcomers } from "./newcomers.ts";
import { type Errors, FormProblem, PlainInput } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";
import { EmailInput, saySo } from "./sign-in.tsx";

/** For how many hours links hold: for another password, and for somebody new. */
const hours = { forgotten: 1, signUp: 24 };

/** Letters with a link by which people choose a password: those who forgot theirs, and those who sign up. */
export const forgotten: Feature = {
  routes: [
    {
      method: "GET",
      path: forgottenPath,
      needs: "nothing",
      answer: (c, scope) => askEmail(c, scope, { email: "", errors: new Map() }),
    },
    { method: "POST", path: forgottenPath, needs: "nothing", answer: forgottenSent },
    {
      method: "GET",
      path: signUpPath,
      needs: "nothing",
      answer: (c, scope) =>
        scope.access?.signUp
          ? askSignUp(c, scope, { name: "", email: "", errors: new Map() })
          : c.notFound(),
    },
    { method: "POST", path: signUpPath, needs: "nothing", answer: signUpSent },
  ],
};

/** Whether another letter may be asked for: for the address, and from where it is asked. */
function mayAsk(c: Context, scope: Scope, email: string): Promise<boolean> {
  return countAttempt(accountTables(scope.db), [
    { subject: `letter to ${email}`, most: 3 },
    { subject: `letter from ${clientAddress(c)}`, most: 20 },
  ]);
}

/** Does something that nobody waits for, so that how long it takes tells nothing. */
function unwatched(work: () => Promise<void>): void {
  setImmediate(() => void work().catch((error) => logError(error, "writing a letter")));
}

async function forgottenSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const email = sameEmail(sentText(data, "email"));
  const { messages } = scope;
  const refuse = (name: string, message: string, status: number) =>
    askEmail(c, scope, { email, errors: new Map([[name, message]]) }, status);
  const read = emailField({ label: "" }).read([email], scope);
  if ("error" in read) return refuse("email", read.error, 422);
  if (!(await mayAsk(c, scope, email))) {
    return refuse("", messages.tooManyAttempts(attemptMinutes), 429);
  }
  const origin = originFor(c.req.url);
  unwatched(async () => {
    const db = accountTables(scope.db);
    const account = await accountWithEmail(db, email);
    if (!account || account.suspended_at !== null) return;
    const made = { purpose: "password", account: account.id, hours: hours.forgotten } as const;
    const link = welcomeAddress(origin, await newLink(db, made));
    await writeTo(scope, account, (letters, application) =>
      letters.forgotten(application, link, hours.forgotten),
    );
  });
  return saySo(c, scope, messages.letterSentHelp(email), { title: messages.letterSent });
}

function askEmail(
  c: Context,
  scope: Scope,
  { email, errors }: { email: string; errors: Errors },
  status = 200,
) {
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.forgottenTitle}</h1>
      <p>{messages.forgottenHelp}</p>
      <FormProblem errors={errors} />
      <form method="post" action={forgottenPath} class="narrow-form">
        <EmailInput scope={scope} email={email} errors={errors} />
        <button class="btn btn-primary" type="submit">
          {messages.sendLink}
        </button>{" "}
        <a class="btn btn-link" href={signInPath}>
          {messages.cancel}
        </a>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.forgottenTitle, status });
}

async function signUpSent(c: Context, scope: Scope) {
  if (!scope.access?.signUp) return c.notFound();
  const data = await sentForm(c);
  const { messages } = scope;
  const sent = { name: sentText(data, "name"), email: sentText(data, "email") };
  const name = text({ label: "", max: 120 }).read([sent.name], scope);
  const email = emailField({ label: "" }).read([sent.email], scope);
  const errors = new Map<string, string>();
  if ("error" in name) errors.set("name", name.error);
  if ("error" in email) errors.set("email", email.error);
  if ("error" in name || "error" in email) return askSignUp(c, scope, { ...sent, errors }, 422);
  if (!(await mayAsk(c, scope, sameEmail(email.value)))) {
    errors.set("", messages.tooManyAttempts(attemptMinutes));
    return askSignUp(c, scope, { ...sent, errors }, 429);
  }
  const origin = originFor(c.req.url);
  unwatched(() => signUp(scope, { name: name.value, email: email.value, origin }));
  const said = messages.signUpSent(email.value);
  return saySo(c, scope, said, { title: messages.letterSent });
}

/** Makes an account that waits; whoever has one already learns that by the letter, and nobody else does. */
async function signUp(
  scope: Scope,
  { name, email, origin }: { name: string; email: string; origin: string },
): Promise<void> {
  const { access } = scope;
  if (!access) return;
  const db = accountTables(scope.db);
  const known = await accountWithEmail(db, email);
  const isNew = known === undefined || (known.password === null && known.waiting_at !== null);
  if (!isNew) {
    await writeTo(scope, known, (letters, application) =>
      letters.knownAlready(application, `${origin}${signInPath}`),
    );
    return;
  }
  const account =
    known?.id ?? (await addAccount(db, { name, email, ...placeOfNewcomers(access), waits: true }));
  if (account === undefined) return;
  const secret = await newLink(db, { purpose: "password", account, hours: hours.signUp });
  const language = scope.settings.language;
  await writeTo(scope, { email: sameEmail(email), language }, (letters, application) =>
    letters.signedUp(application, welcomeAddress(origin, secret), hours.signUp),
  );
}

function askSignUp(
  c: Context,
  scope: Scope,
  { name, email, errors }: { name: string; email: string; errors: Errors },
  status = 200,
) {
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.signUp}</h1>
      <p>
        {messages.signUpHelp}
        {scope.access?.signUp === "confirmed" && ` ${messages.mustWait}`}
      </p>
      <FormProblem errors={errors} />
      <form method="post" action={signUpPath} class="narrow-form">
        <PlainInput
          name="name"
          label={messages.yourName}
          value={name}
          errors={errors}
          autocomplete="name"
        />
        <EmailInput scope={scope} email={email} errors={errors} />
        <button class="btn btn-primary" type="submit">
          {messages.signUp}
        </button>{" "}
        <a class="btn btn-link" href={signInPath}>
          {messages.cancel}
        </a>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.signUp, status });
}
