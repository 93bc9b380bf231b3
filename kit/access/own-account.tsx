import type { Context } from "hono";
import { recordId } from "../entity/links.ts";
import type { Feature } from "../features/feature.ts";
import { text } from "../fields/text.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { languageNames } from "../messages/messages.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage } from "../ui/layout.tsx";
import { WideTable } from "../ui/wide-table.tsx";
import { accountTables } from "./account-tables.ts";
import { type Account, accountOf, changeOwn, endSessions, keepPassword } from "./accounts.ts";
import { accountPath, ownTokensPath } from "./addresses.ts";
import { tellChange } from "./letters.ts";
import { secondFactorPath } from "./own-second-factor.tsx";
import { ownPasskeysPath } from "./passkey-pages.tsx";
import { hashPassword, isPassword } from "./passwords.ts";
import { appearances } from "./person.ts";
import { type Errors, FormProblem, PlainInput, PlainSelect } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";
import { endOwnSession, type OwnSession, sessionOf, sessionsOf } from "./sessions.ts";
import { CurrentPassword, chosenErrors, NewPassword } from "./sign-in.tsx";

/** A page with one's own name, language, password and sessions. */
export const ownAccount: Feature = {
  routes: [
    {
      method: "GET",
      path: accountPath,
      needs: "person",
      answer: (c, scope) => showAccount(c, scope, new Map()),
    },
    { method: "POST", path: accountPath, needs: "person", answer: ownSent },
    { method: "POST", path: `${accountPath}/password`, needs: "person", answer: passwordSent },
    { method: "POST", path: `${accountPath}/sessions`, needs: "person", answer: sessionSent },
  ],
};

/** The account of whoever asks, and the database with it. */
async function own(scope: Scope) {
  const db = accountTables(scope.db);
  const account = scope.person && (await accountOf(db, scope.person.id));
  return account && { db, account };
}

async function ownSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const found = await own(scope);
  if (!found) return c.notFound();
  const name = text({ label: "", max: 120 }).read([sentText(data, "name")], scope);
  const language = sentText(data, "language");
  const timezone = sentText(data, "timezone");
  const appearance = appearances.find((each) => each === sentText(data, "appearance")) ?? null;
  const errors = new Map<string, string>();
  if ("error" in name) errors.set("name", name.error);
  const { chooseOffered } = scope.messages;
  if (language && !languages.some(([tag]) => tag === language))
    errors.set("language", chooseOffered);
  if (timezone && !timezones().includes(timezone)) errors.set("timezone", chooseOffered);
  if ("error" in name || errors.size > 0) return showAccount(c, scope, errors, 422);
  await changeOwn(found.db, found.account.id, {
    name: name.value,
    language: language || null,
    timezone: timezone || null,
    appearance,
  });
  return c.redirect(`${accountPath}?done=own`, 303);
}

async function passwordSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const found = await own(scope);
  if (!found) return c.notFound();
  const { db, account } = found;
  const errors = chosenErrors(scope, data, [account.name, account.email ?? ""]);
  if (!(await isPassword(account.password, sentText(data, "current")))) {
    errors.set("current", scope.messages.notYourPassword);
  }
  if (errors.size > 0) return showAccount(c, scope, errors, 422);
  const session = sessionOf(c);
  await keepPassword(db, account.id, {
    password: await hashPassword(sentText(data, "password")),
    ...(session !== undefined && { session }),
  });
  await noteEvent(scope, "password");
  await tellChange(scope, account, ({ password }) => password);
  return c.redirect(`${accountPath}?done=password`, 303);
}

async function sessionSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const found = await own(scope);
  if (!found) return c.notFound();
  const { db, account } = found;
  const asked = recordId(sentText(data, "session"));
  if (asked === undefined) await endSessions(db, account.id, sessionOf(c));
  else await endOwnSession(db, account.id, asked);
  return c.redirect(`${accountPath}?done=sessions`, 303);
}

const languages = Object.entries(languageNames);
const timezones = () => ["UTC", ...Intl.supportedValuesOf("timeZone")];

async function showAccount(c: Context, scope: Scope, errors: Errors, status = 200) {
  const found = await own(scope);
  if (!found) return c.notFound();
  const { db, account } = found;
  const sessions = await sessionsOf(c, db, account.id);
  const done = status === 200 ? c.req.query("done") : undefined;
  const page = (
    <AccountPage scope={scope} account={account} sessions={sessions} errors={errors} done={done} />
  );
  return showPage(c, scope, page, { title: scope.messages.yourAccount, status });
}

function AccountPage({
  scope,
  account,
  sessions,
  errors,
  done,
}: {
  scope: Scope;
  account: Account;
  sessions: readonly OwnSession[];
  errors: Errors;
  done: string | undefined;
}) {
  const { messages } = scope;
  const said = Object.hasOwn(messages.accountDone, done ?? "")
    ? messages.accountDone[done as keyof typeof messages.accountDone]
    : undefined;
  return (
    <>
      <h1>{messages.yourAccount}</h1>
      {said && (
        <div class="alert alert-success" role="status">
          {said}
        </div>
      )}
      <FormProblem errors={errors} />
      <form method="post" action={accountPath} class="sheet narrow-form">
        <p>
          {messages.emailAddress}: <strong>{account.email}</strong>
          {account.password !== null && (
            <>
              {" · "}
              <a href={`${accountPath}/email`}>{messages.changeEmail}</a>
            </>
          )}
        </p>
        <PlainInput
          name="name"
          label={messages.yourName}
          value={account.name}
          errors={errors}
          autocomplete="name"
        />
        <PlainSelect
          name="language"
          label={messages.language}
          value={account.language ?? ""}
          none={messages.asApplication}
          choices={languages}
          errors={errors}
        />
        <PlainSelect
          name="timezone"
          label={messages.timezone}
          value={account.timezone ?? ""}
          none={messages.asApplication}
          choices={timezones().map((zone) => [zone, zone.replaceAll("_", " ")] as const)}
          errors={errors}
        />
        <PlainSelect
          name="appearance"
          label={messages.appearance}
          value={account.appearance ?? ""}
          none={messages.asMachine}
          choices={appearances.map((each) => [each, messages.appearances[each]] as const)}
          errors={errors}
        />
        <button class="btn btn-primary" type="submit">
          {messages.save}
        </button>
      </form>
      {account.password !== null && (
        <form method="post" action={`${accountPath}/password`} class="sheet narrow-form">
          <h2>{messages.changePassword}</h2>
          <input type="hidden" name="email" value={account.email ?? ""} autocomplete="username" />
          <CurrentPassword scope={scope} errors={errors} />
          <NewPassword scope={scope} errors={errors} />
          <button class="btn btn-primary" type="submit">
            {messages.changePassword}
          </button>
        </form>
      )}
      {account.password !== null && (
        <section class="sheet">
          <h2>{messages.secondFactor}</h2>
          <p>{account.totp_secret === null ? messages.secondFactorOff : messages.secondFactorOn}</p>
          <a class="btn btn-outline-secondary" href={secondFactorPath}>
            {account.totp_secret === null ? messages.setUpSecond : messages.secondFactor}
          </a>
        </section>
      )}
      <section class="sheet">
        <h2>{messages.passkeys}</h2>
        <p>{messages.passkeysHelp}</p>
        <a class="btn btn-outline-secondary" href={ownPasskeysPath}>
          {messages.passkeys}
        </a>
      </section>
      <section class="sheet">
        <h2>{messages.api.tokens.title}</h2>
        <p>{messages.api.tokens.help}</p>
        <a class="btn btn-outline-secondary" href={ownTokensPath}>
          {messages.api.tokens.title}
        </a>
      </section>
      <section class="sheet">
        <h2>{messages.whereSignedIn}</h2>
        <Sessions scope={scope} sessions={sessions} />
        {sessions.length > 1 && (
          <form method="post" action={`${accountPath}/sessions`}>
            <button class="btn btn-outline-danger" type="submit">
              {messages.endOthers}
            </button>
          </form>
        )}
      </section>
    </>
  );
}

function Sessions({ scope, sessions }: { scope: Scope; sessions: readonly OwnSession[] }) {
  const { messages, format } = scope;
  return (
    <WideTable label={messages.whereSignedIn}>
      <table class="table">
        <thead>
          <tr>
            <th scope="col">{messages.lastUsed}</th>
            <th scope="col">{messages.signedInAt}</th>
            <th scope="col">{messages.fromWhere}</th>
            <th scope="col">
              <span class="visually-hidden">{messages.endSession}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {sessions.map((session) => (
            <tr>
              <td>{format.dateTime(session.seen_at)}</td>
              <td>{format.dateTime(session.begun_at)}</td>
              <td>
                {session.address} <span class="soft small">{session.browser}</span>
              </td>
              <td class="text-end">
                {session.isThis ? (
                  messages.thisOne
                ) : (
                  <form method="post" action={`${accountPath}/sessions`}>
                    <input type="hidden" name="session" value={session.id} />
                    <button class="btn btn-outline-danger btn-sm" type="submit">
                      {messages.endSession}
                    </button>
                  </form>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </WideTable>
  );
}
