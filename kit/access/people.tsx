import type { Context } from "hono";
import type { Entity } from "../entity/entity.ts";
import { recordId } from "../entity/links.ts";
import type { Feature } from "../features/feature.ts";
import { askedPage } from "../http/asked-page.ts";
import { embeddedPath } from "../http/embedded-page.ts";
import { originFor } from "../http/public-address.ts";
import { type SentForm, sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { numberedPager } from "../store/list/pager.ts";
import { linksOf } from "../store/options.ts";
import { findAnyRow } from "../store/select.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { Pager } from "../ui/pager.tsx";
import { WideTable } from "../ui/wide-table.tsx";
import { accountTables } from "./account-tables.ts";
import {
  type Account,
  accountOf,
  accountsFrom,
  admit,
  changeAccount,
  endSessions,
  isTaken,
  organisationsOf,
  removeAccount,
} from "./accounts.ts";
import {
  activityPath,
  logPath,
  mailboxPath,
  peoplePath,
  rightsPath,
  signInPath,
} from "./addresses.ts";
import { chosenGroups, GroupBoxes } from "./group-boxes.tsx";
import { askPeople, invite, linkFor, linkHours } from "./invitations.tsx";
import { tellChange, writeTo } from "./letters.ts";
import { allGroups } from "./own-groups.ts";
import { type Errors, FormProblem, PlainSelect } from "./plain-form.tsx";
import { isOperator } from "./rights.ts";
import type { Scope } from "./scope.ts";
import { turnOff } from "./second-factor.ts";
import { sessionOf } from "./sessions.ts";
import { TokenTable } from "./token-table.tsx";
import { revokeToken, tokensOf } from "./tokens.ts";

const onPage = 50;

/** Who may sign in: inviting, groups, suspending, removing. For administrators. */
export const people: Feature = {
  routes: [
    { method: "GET", path: peoplePath, needs: "administrator", answer: listPeople },
    {
      method: "GET",
      path: `${peoplePath}/new`,
      needs: "administrator",
      answer: (c, scope) => askPeople(c, scope, { lines: "", groups: [], errors: new Map() }),
    },
    { method: "POST", path: `${peoplePath}/new`, needs: "administrator", answer: invite },
    { method: "GET", path: `${peoplePath}/:id`, needs: "administrator", answer: showPerson },
    { method: "POST", path: `${peoplePath}/:id`, needs: "administrator", answer: personSent },
  ],
};

async function listPeople(c: Context, scope: Scope) {
  const { messages, format } = scope;
  const page = askedPage(c);
  const { total, accounts } = await accountsFrom(accountTables(scope.db), {
    organisation: scope.organisation,
    offset: (page - 1) * onPage,
    limit: onPage,
  });
  const labels = new Map(await allGroups(scope));
  const content = (
    <>
      <div class="heading">
        <h1>{messages.people}</h1>
        <div class="actions">
          <a class="btn btn-outline-secondary" href={activityPath}>
            {messages.activity}
          </a>{" "}
          {scope.access?.rightsAre && (
            <>
              <a class="btn btn-outline-secondary" href={rightsPath}>
                {messages.rights}
              </a>{" "}
            </>
          )}
          {isOperator(scope.person) && (
            <a class="btn btn-outline-secondary" href={mailboxPath}>
              {messages.mailbox}
            </a>
          )}{" "}
          {scope.settings.embedded && (
            <>
              <a class="btn btn-outline-secondary" href={embeddedPath}>
                {messages.embedded.sites}
              </a>{" "}
            </>
          )}
          <a class="btn btn-outline-secondary" href={logPath}>
            {messages.log}
          </a>{" "}
          <a class="btn btn-primary" href={`${peoplePath}/new`}>
            {messages.invite}
          </a>
        </div>
      </div>
      <p class="soft small">{messages.peopleCount(total, format.number(total))}</p>
      <WideTable label={messages.people}>
        <table class="table table-hover">
          <thead>
            <tr>
              <th scope="col">{messages.name}</th>
              <th scope="col">{messages.emailAddress}</th>
              <th scope="col">{messages.groups}</th>
              <th scope="col">{messages.state}</th>
            </tr>
          </thead>
          <tbody>
            {accounts.map((account) => (
              <tr>
                <td>
                  <a href={`${peoplePath}/${account.id}`}>{account.name}</a>
                </td>
                <td>{account.email}</td>
                <td>{account.groups.map((name) => labels.get(name) ?? name).join(", ")}</td>
                <td>{messages.accountStates[stateOf(account)]}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </WideTable>
      <Pager
        scope={scope}
        path={peoplePath}
        query={new URLSearchParams()}
        pager={numberedPager(page, Math.max(1, Math.ceil(total / onPage)))}
      />
    </>
  );
  return showPage(c, scope, content, { title: messages.people });
}

function stateOf({ suspended_at, waiting_at, password }: Account) {
  if (suspended_at !== null) return "suspended";
  if (waiting_at !== null) return password === null ? "unconfirmed" : "waiting";
  return password === null ? "invited" : "active";
}

async function askedAccount(c: Context, scope: Scope): Promise<Account | undefined> {
  const id = recordId(c.req.param("id") ?? "");
  if (id === undefined) return undefined;
  const { organisation } = scope;
  const db = accountTables(scope.db);
  const within =
    organisation === undefined || (await organisationsOf(db, id)).includes(organisation);
  return within ? accountOf(db, id, organisation) : undefined;
}

/** Whether somebody is in other organisations, too: then this one decides about their place in it, and no more. */
async function isElsewhere({ db, organisation }: Scope, { id }: Account): Promise<boolean> {
  return organisation !== undefined && (await organisationsOf(accountTables(db), id)).length > 1;
}

async function showPerson(c: Context, scope: Scope) {
  const account = await askedAccount(c, scope);
  return account ? personPage(c, scope, account, { errors: new Map() }) : c.notFound();
}

async function personSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const account = await askedAccount(c, scope);
  if (!account) return c.notFound();
  const db = accountTables(scope.db);
  const { messages } = scope;
  const here = `${peoplePath}/${account.id}`;
  const refuse = () =>
    personPage(c, scope, account, { errors: new Map([["", messages.lastAdministrator]]) }, 422);
  const { organisation } = scope;
  const does = sentText(data, "do");
  if (!["save", "remove", "revoke"].includes(does) && (await isElsewhere(scope, account)))
    return c.notFound();
  switch (does) {
    case "save": {
      const suspended = account.suspended_at !== null;
      const groups = await chosenGroups(scope, data);
      const record = chosenRecord(scope, data);
      if (record !== null && (await isTaken(db, record, account.id, organisation))) {
        const errors = new Map([["record", messages.recordTaken]]);
        return personPage(c, scope, account, { errors }, 422);
      }
      if (record !== null && !(await findAnyRow(scope, recordsOf(scope), record))) {
        const errors = new Map([["record", messages.chosenIsGone]]);
        return personPage(c, scope, account, { errors }, 422);
      }
      const changed = { groups, suspended, record, organisation };
      if (!(await changeAccount(db, account.id, changed))) return refuse();
      // With other rights, everybody begins a new session; whoever changes their own stays in this one.
      const differs = String(groups.sort()) !== String([...account.groups].sort());
      if (differs && !(await isElsewhere(scope, account))) {
        await endSessions(db, account.id, sessionOf(c));
      }
      await noteEvent(scope, "account", { name: account.name, groups });
      return c.redirect(`${here}?done=saved`, 303);
    }
    case "suspend":
    case "readmit": {
      const suspended = does === "suspend";
      const { groups, record_id: record } = account;
      const changed = { groups, suspended, record, organisation };
      if (!(await changeAccount(db, account.id, changed))) return refuse();
      await noteEvent(scope, "account", { name: account.name, did: does });
      return c.redirect(here, 303);
    }
    case "let in":
      await admit(db, account.id);
      await noteEvent(scope, "account", { name: account.name, did: "let in" });
      await writeTo(scope, account, (letters, application) =>
        letters.letIn(application, `${originFor(c.req.url)}${signInPath}`),
      );
      return c.redirect(`${here}?done=saved`, 303);
    case "second factor":
      await turnOff(db, account.id);
      await noteEvent(scope, "account", { name: account.name, did: "second factor off" });
      await tellChange(scope, account, ({ secondOff }) => secondOff);
      return c.redirect(`${here}?done=saved`, 303);
    case "sign out":
      await endSessions(db, account.id);
      await noteEvent(scope, "account", { name: account.name, did: "sign out" });
      return c.redirect(`${here}?done=ended`, 303);
    case "revoke": {
      const id = recordId(sentText(data, "token"));
      const own = await tokensOf(db, account.id, organisation);
      if (id === undefined || !own.some((token) => token.id === id)) return c.notFound();
      const token = await revokeToken(db, account.id, id);
      await noteEvent(scope, "token", { name: account.name, did: "revoked", token });
      return c.redirect(here, 303);
    }
    case "link": {
      const link = await linkFor(c, db, account.id);
      await noteEvent(scope, "account", { name: account.name, did: "link" });
      return personPage(c, scope, account, { errors: new Map(), link });
    }
    case "remove":
      if (sentText(data, "sure") !== "yes")
        return personPage(c, scope, account, { errors: new Map(), asks: true });
      if (!(await removeAccount(db, account.id, organisation))) return refuse();
      await noteEvent(scope, "remove account", { name: account.name });
      return c.redirect(peoplePath, 303);
    default:
      return c.notFound();
  }
}

/** The entity whose records people are. */
function recordsOf({ access, entities }: Scope): Entity {
  return entities.named(access?.record ?? "");
}

/** The record that a person is, as it was chosen; null for none. */
function chosenRecord({ access }: Scope, data: SentForm): number | null {
  return (access?.record && recordId(sentText(data, "record"))) || null;
}

async function personPage(
  c: Context,
  scope: Scope,
  account: Account,
  { errors, link, asks = false }: { errors: Errors; link?: string; asks?: boolean },
  status = 200,
) {
  const { messages } = scope;
  const { name, email, groups } = account;
  const target = scope.access?.record ? recordsOf(scope) : undefined;
  const chosen = account.record_id;
  const records = target ? await linksOf(scope, target, chosen === null ? [] : [chosen]) : [];
  const state = stateOf(account);
  const elsewhere = await isElsewhere(scope, account);
  const tokens = await tokensOf(accountTables(scope.db), account.id, scope.organisation);
  const done = c.req.query("done") ?? "";
  const said =
    status === 200 && Object.hasOwn(messages.personDone, done)
      ? messages.personDone[done as keyof typeof messages.personDone]
      : undefined;
  const page = (
    <>
      <Trail scope={scope} to={peoplePath} label={messages.people} />
      <h1>{name}</h1>
      {said && (
        <div class="alert alert-success" role="status">
          {said}
        </div>
      )}
      <FormProblem errors={errors} />
      {link && (
        <div class="alert alert-success" role="status">
          <p>{messages.passLinkOn(linkHours)}</p>
          <code>{link}</code>
        </div>
      )}
      <p>
        {email} <span class="soft">{messages.accountStates[state]}</span>
      </p>
      <form method="post" class="sheet">
        <GroupBoxes scope={scope} groups={await allGroups(scope)} chosen={groups} />
        {target && (
          <PlainSelect
            name="record"
            label={messages.isRecord(scope.namesOf(target).heading)}
            value={String(chosen ?? "")}
            none={messages.none}
            choices={records.map(({ id, displayTitle }) => [String(id), displayTitle] as const)}
            errors={errors}
          />
        )}
        <button class="btn btn-primary" type="submit" name="do" value="save">
          {messages.save}
        </button>
      </form>
      <form method="post" class="sheet">
        {asks ? (
          <>
            <input type="hidden" name="sure" value="yes" />
            <p>{elsewhere ? messages.removeHere(name) : messages.removeSurely(name)}</p>
            <button class="btn btn-danger" type="submit" name="do" value="remove">
              {messages.removePerson}
            </button>
          </>
        ) : (
          <div class="buttons">
            {!elsewhere && <AccountButtons scope={scope} account={account} state={state} />}
            <button class="btn btn-outline-danger" type="submit" name="do" value="remove">
              {messages.removePerson}
            </button>
          </div>
        )}
      </form>
      {tokens.length > 0 && (
        <section class="sheet">
          <h2>{messages.api.tokens.title}</h2>
          <TokenTable scope={scope} tokens={tokens} action={`${peoplePath}/${account.id}`} />
        </section>
      )}
    </>
  );
  return showPage(c, scope, page, { title: name, status });
}

/** What can be done with the account of somebody who is in no other organisation. */
function AccountButtons({
  scope: { messages },
  account,
  state,
}: {
  scope: Scope;
  account: Account;
  state: ReturnType<typeof stateOf>;
}) {
  return (
    <>
      {state === "waiting" && (
        <button class="btn btn-primary" type="submit" name="do" value="let in">
          {messages.letIn}
        </button>
      )}
      {account.totp_secret !== null && (
        <button class="btn btn-outline-secondary" type="submit" name="do" value="second factor">
          {messages.removeSecond}
        </button>
      )}
      <button class="btn btn-outline-primary" type="submit" name="do" value="link">
        {messages.newLink}
      </button>
      <button class="btn btn-outline-secondary" type="submit" name="do" value="sign out">
        {messages.signOutEverywhere}
      </button>
      {state === "suspended" ? (
        <button class="btn btn-outline-secondary" type="submit" name="do" value="readmit">
          {messages.readmit}
        </button>
      ) : (
        <button class="btn btn-outline-danger" type="submit" name="do" value="suspend">
          {messages.suspend}
        </button>
      )}
    </>
  );
}
