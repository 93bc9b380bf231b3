import type { Context } from "hono";
import { email as emailField } from "../fields/email.tsx";
import { text } from "../fields/text.ts";
import { originFor } from "../http/public-address.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { isMailConfigured } from "../mail/transport.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { accountTables } from "./account-tables.ts";
import { accountWithEmail, addAccount, join, organisationsOf } from "./accounts.ts";
import { peoplePath, signInPath, welcomeAddress } from "./addresses.ts";
import { chosenGroups, GroupBoxes } from "./group-boxes.tsx";
import { writeTo } from "./letters.ts";
import { newLink } from "./links.ts";
import { allGroups } from "./own-groups.ts";
import { described, type Errors, Framed } from "./plain-form.tsx";
import { peopleUsage } from "./plans.ts";
import type { Scope } from "./scope.ts";

/** For how many hours a link to choose a password holds. */
export const linkHours = 72;
const atOnce = 100;

/** Somebody to be invited, as typed on a line. */
interface Invited {
  name: string;
  email: string;
}

export async function invite(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const { messages } = scope;
  const lines = sentText(data, "people");
  const groups = await chosenGroups(scope, data);
  const read = readPeople(scope, lines);
  const refuse = (message: string) =>
    askPeople(c, scope, { lines, groups, errors: new Map([["people", message]]) }, 422);
  if ("error" in read) return refuse(read.error);
  const usage = await peopleUsage(scope);
  if (usage && usage.used + read.people.length > usage.most) {
    return refuse(messages.planPeople(usage.used, usage.most));
  }
  const db = accountTables(scope.db);
  const links: { name: string; email: string; link: string | undefined; joined: boolean }[] = [];
  for (const { name, email } of read.people) {
    const { organisation } = scope;
    const id = await addAccount(db, { name, email, groups, organisation });
    const link = id === undefined ? undefined : await linkFor(c, db, id);
    const joined = id === undefined && (await alsoJoins(c, scope, email, groups));
    if (joined) await noteEvent(scope, "invite", { name, groups });
    if (link !== undefined) {
      await noteEvent(scope, "invite", { name, groups });
      await writeTo(scope, { email, language: null }, (letters, application) =>
        letters.invited(application, link, linkHours),
      );
    }
    links.push({ name, email, link, joined });
  }
  const page = (
    <>
      <Trail scope={scope} to={peoplePath} label={messages.people} />
      <h1>{messages.invited}</h1>
      <p>{isMailConfigured() ? messages.invitationSent : messages.passLinksOn(linkHours)}</p>
      <dl class="links">
        {links.map(({ name, email, link, joined }) => (
          <>
            <dt>
              {name} <span class="soft">{email}</span>
            </dt>
            <dd>
              {joined ? (
                messages.joined
              ) : link === undefined ? (
                messages.emailTaken
              ) : isMailConfigured() ? (
                messages.mailStates.waiting
              ) : (
                <code>{link}</code>
              )}
            </dd>
          </>
        ))}
      </dl>
    </>
  );
  return showPage(c, scope, page, { title: messages.invited });
}

/** Puts somebody who signs in already into this organisation, too; false where they are in it. */
async function alsoJoins(
  c: Context,
  scope: Scope,
  email: string,
  groups: readonly string[],
): Promise<boolean> {
  const { organisation, db } = scope;
  const tables = accountTables(db);
  const account = organisation === undefined ? undefined : await accountWithEmail(tables, email);
  if (!account || organisation === undefined) return false;
  if ((await organisationsOf(tables, account.id)).includes(organisation)) return false;
  await join(tables, account.id, groups, organisation);
  const where = scope.person?.organisation?.name ?? "";
  await writeTo(scope, account, (letters, application) =>
    letters.joined(application, where, `${originFor(c.req.url)}${signInPath}`),
  );
  return true;
}

/** A link by which somebody chooses a password. */
export async function linkFor(
  c: Context,
  db: ReturnType<typeof accountTables>,
  account: number,
): Promise<string> {
  const secret = await newLink(db, { purpose: "password", account, hours: linkHours });
  return welcomeAddress(originFor(c.req.url), secret);
}

/** The people of a text, one a line: `Ana Vidal, ana@example.org`. */
function readPeople(scope: Scope, typed: string): { people: Invited[] } | { error: string } {
  const { messages } = scope;
  const lines = typed.split("\n").filter((line) => line.trim() !== "");
  if (lines.length === 0) return { error: messages.fillIn };
  if (lines.length > atOnce) return { error: messages.chooseAtMost(atOnce) };
  const people: Invited[] = [];
  for (const line of lines) {
    const comma = line.lastIndexOf(",");
    const name = text({ label: "", max: 120 }).read([line.slice(0, Math.max(0, comma))], scope);
    const email = emailField({ label: "" }).read([line.slice(comma + 1)], scope);
    if ("error" in name || "error" in email) {
      return { error: messages.personLine(line.trim().slice(0, 80)) };
    }
    people.push({ name: name.value, email: email.value });
  }
  return { people };
}

export async function askPeople(
  c: Context,
  scope: Scope,
  { lines, groups, errors }: { lines: string; groups: readonly string[]; errors: Errors },
  status = 200,
) {
  const { messages } = scope;
  const page = (
    <>
      <Trail scope={scope} to={peoplePath} label={messages.people} />
      <h1>{messages.invite}</h1>
      <form method="post" class="sheet">
        <Framed name="people" label={messages.whom} errors={errors} hint={messages.whomHint}>
          <textarea
            class={`form-control${errors.has("people") ? " is-invalid" : ""}`}
            id="field-people"
            name="people"
            rows={4}
            required
            {...described("people", errors, messages.whomHint)}
          >
            {lines}
          </textarea>
        </Framed>
        <GroupBoxes scope={scope} groups={await allGroups(scope)} chosen={groups} />
        <button class="btn btn-primary" type="submit">
          {messages.invite}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.invite, status });
}
