import type { Context } from "hono";
import type { Feature } from "../features/feature.ts";
import { email as emailField } from "../fields/email.tsx";
import { clientAddress } from "../http/client-address.ts";
import { originFor } from "../http/public-address.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage } from "../ui/layout.tsx";
import { accountTables } from "./account-tables.ts";
import { accountOf, accountWithEmail, changeEmail, sameEmail } from "./accounts.ts";
import { accountPath, newEmailPath } from "./addresses.ts";
import { attemptMinutes, countAttempt } from "./attempts.ts";
import { tellChange, writeTo } from "./letters.ts";
import { linkOf, newLink, useLink } from "./links.ts";
import { isPassword } from "./passwords.ts";
import { type Errors, FormProblem, PlainInput } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";
import { CurrentPassword, linkEnded, saySo } from "./sign-in.tsx";

const hours = 2;
const askPath = `${accountPath}/email`;

/** Another address to sign in with, which counts once its owner has followed a link. */
export const newEmail: Feature = {
  routes: [
    {
      method: "GET",
      path: askPath,
      needs: "person",
      answer: (c, scope) => ask(c, scope, "", new Map()),
    },
    { method: "POST", path: askPath, needs: "person", answer: sent },
    { method: "GET", path: `${newEmailPath}/:secret`, needs: "nothing", answer: confirm },
    { method: "POST", path: `${newEmailPath}/:secret`, needs: "nothing", answer: confirmed },
  ],
};

async function sent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const db = accountTables(scope.db);
  const { messages } = scope;
  const account = scope.person && (await accountOf(db, scope.person.id));
  if (!account) return c.notFound();
  const typed = sentText(data, "email");
  const refuse = (name: string, message: string, status: number) =>
    ask(c, scope, typed, new Map([[name, message]]), status);
  const read = emailField({ label: "" }).read([typed], scope);
  if ("error" in read) return refuse("email", read.error, 422);
  const limits = [{ subject: `new email ${account.id} ${clientAddress(c)}`, most: 5 }];
  if (!(await countAttempt(db, limits))) {
    return refuse("", messages.tooManyAttempts(attemptMinutes), 429);
  }
  if (!(await isPassword(account.password, sentText(data, "current")))) {
    return refuse("current", messages.notYourPassword, 422);
  }
  const email = sameEmail(read.value);
  const { id, language } = account;
  // Whoever has the address already learns of it by nothing; nor does who asks.
  if (!(await accountWithEmail(db, email))) {
    const secret = await newLink(db, { purpose: "email", account: id, hours, email });
    const link = `${originFor(c.req.url)}${newEmailPath}/${secret}`;
    await writeTo(scope, { email, language }, (letters, application) =>
      letters.newEmail(application, link, hours),
    );
  }
  return saySo(c, scope, messages.emailLetter(email), { title: messages.changeEmail });
}

function ask(c: Context, scope: Scope, email: string, errors: Errors, status = 200) {
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.changeEmail}</h1>
      <FormProblem errors={errors} />
      <form method="post" action={askPath} class="narrow-form">
        <PlainInput
          name="email"
          type="email"
          label={messages.newEmail}
          value={email}
          errors={errors}
          autocomplete="email"
        />
        <CurrentPassword scope={scope} errors={errors} />
        <button class="btn btn-primary" type="submit">
          {messages.sendLink}
        </button>{" "}
        <a class="btn btn-link" href={accountPath}>
          {messages.cancel}
        </a>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.changeEmail, status });
}

/** The link asks once more: programs that read mail open links, too. */
async function confirm(c: Context, scope: Scope) {
  const link = await linkOf(accountTables(scope.db), c.req.param("secret"), "email");
  if (!link?.account || link.email === null) return linkEnded(c, scope);
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.changeEmail}</h1>
      <p>{messages.confirmEmailHelp(link.email)}</p>
      <form method="post">
        <button class="btn btn-primary" type="submit">
          {messages.confirmEmail}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.changeEmail });
}

async function confirmed(c: Context, scope: Scope) {
  const secret = c.req.param("secret") ?? "";
  const db = accountTables(scope.db);
  const link = await linkOf(db, secret, "email");
  if (!link?.account || link.email === null) return linkEnded(c, scope);
  if (!(await useLink(db, secret))) return linkEnded(c, scope);
  if (!(await changeEmail(db, link.account.id, link.email))) return linkEnded(c, scope);
  const { email } = link;
  await noteEvent(scope.as(link.account), "account", { name: link.account.name, email });
  await tellChange(scope, link.account, (changes) => changes.email(email));
  return saySo(c, scope, scope.messages.confirmEmailHelp(email), {
    title: scope.messages.changeEmail,
  });
}
