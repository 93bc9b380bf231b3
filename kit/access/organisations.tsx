import type { Context } from "hono";
import { recordId } from "../entity/links.ts";
import type { Feature } from "../features/feature.ts";
import { text } from "../fields/text.ts";
import { now } from "../formula/clock.ts";
import { type SentForm, sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { inTransaction } from "../store/transactions.ts";
import { showPage } from "../ui/layout.tsx";
import { accountTables } from "./account-tables.ts";
import { join } from "./accounts.ts";
import { organisationsPath } from "./addresses.ts";
import { attemptMinutes, countAttempt } from "./attempts.ts";
import { paymentAddress } from "./payment.tsx";
import { administrators, isAdministrator } from "./person.ts";
import { type Errors, FormProblem, PlainInput } from "./plain-form.tsx";
import { allOrganisations, Plans, PlanUsage, setPlan, usageLines } from "./plan-pages.tsx";
import { isOperator } from "./rights.ts";
import type { Scope } from "./scope.ts";
import { chooseOrganisation } from "./sessions.ts";

/** One's organisations: to go on to another one, to begin one, to call one something else. */
export const organisations: Feature = {
  routes: [
    {
      method: "GET",
      path: organisationsPath,
      needs: "person",
      answer: (c, scope) =>
        scope.access?.organisations ? show(c, scope, new Map()) : c.notFound(),
    },
    { method: "POST", path: organisationsPath, needs: "person", answer: sent },
  ],
};

function mayBegin({ access, person }: Scope): boolean {
  return access?.organisations?.openTo === "everyone" || isOperator(person);
}

/** The organisations of somebody, by their names. */
function ofPerson({ db, person }: Scope): Promise<{ id: number; name: string }[]> {
  return accountTables(db)
    .selectFrom("levadura_organisation as organisation")
    .innerJoin("levadura_membership as membership", "membership.organisation_id", "organisation.id")
    .select(["organisation.id", "organisation.name"])
    .distinct()
    .where("membership.account_id", "=", person?.id ?? 0)
    .orderBy("organisation.name")
    .execute();
}

async function sent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  if (!scope.access?.organisations || !scope.person) return c.notFound();
  switch (sentText(data, "do")) {
    case "go to": {
      const asked = recordId(sentText(data, "organisation"));
      const own = await ofPerson(scope);
      if (!own.some(({ id }) => id === asked) || asked === undefined) return c.notFound();
      await chooseOrganisation(c, accountTables(scope.db), asked);
      return c.redirect("/", 303);
    }
    case "begin":
      return mayBegin(scope) ? begin(c, scope, data, scope.person.id) : c.notFound();
    case "plan":
      return isOperator(scope.person) ? choosePlan(c, scope, data) : c.notFound();
    case "rename":
      return isAdministrator(scope.person) ? rename(c, scope, data) : c.notFound();
    default:
      return c.notFound();
  }
}

async function begin(c: Context, scope: Scope, data: SentForm, account: number) {
  const db = accountTables(scope.db);
  const name = nameIn(scope, data);
  if ("error" in name) return show(c, scope, new Map([["new", name.error]]), 422);
  if (!(await countAttempt(db, [{ subject: `organisation of ${account}`, most: 10 }]))) {
    const message = scope.messages.tooManyAttempts(attemptMinutes);
    return show(c, scope, new Map([["", message]]), 429);
  }
  const id = await inTransaction(db, async (trx) => {
    const made = await trx
      .insertInto("levadura_organisation")
      .values({ name: name.value, made_at: now() })
      .returning("id")
      .executeTakeFirstOrThrow();
    await join(trx, account, [administrators], made.id);
    return made.id;
  });
  await chooseOrganisation(c, db, id);
  await noteEvent(scope, "organisation", { name: name.value });
  return c.redirect("/", 303);
}

/** Gives an organisation another plan; those who run the application do so. */
async function choosePlan(c: Context, scope: Scope, data: SentForm) {
  const id = recordId(sentText(data, "organisation"));
  const plan = sentText(data, "plan");
  const plans = scope.access?.organisations?.plans ?? {};
  if (id === undefined || !Object.hasOwn(plans, plan)) return c.notFound();
  if (!(await setPlan(scope, id, plan))) return c.notFound();
  return c.redirect(organisationsPath, 303);
}

async function rename(c: Context, scope: Scope, data: SentForm) {
  const name = nameIn(scope, data);
  if ("error" in name) return show(c, scope, new Map([["name", name.error]]), 422);
  await accountTables(scope.db)
    .updateTable("levadura_organisation")
    .set({ name: name.value })
    .where("id", "=", scope.organisation ?? 0)
    .execute();
  await noteEvent(scope, "organisation", { name: name.value });
  return c.redirect(organisationsPath, 303);
}

function nameIn(scope: Scope, data: SentForm) {
  const named = sentText(data, "do") === "begin" ? "new" : "name";
  // It stands in emails, where a line of its own could look like ours.
  const typed = sentText(data, named).slice(0, 1000).replace(/\s+/g, " ");
  return text({ label: "", max: 120 }).read([typed], scope);
}

async function show(c: Context, scope: Scope, errors: Errors, status = 200) {
  const { access, person, messages } = scope;
  if (!access?.organisations) return c.notFound();
  const title = scope.translated(access.organisations.plural);
  const label = scope.translated(access.organisations.label);
  const own = await ofPerson(scope);
  const page = (
    <>
      <h1>{title}</h1>
      <FormProblem errors={errors} />
      {own.length === 0 && <p>{messages.inNone}</p>}
      <ul class="tiles mb-3">
        {own.map(({ id, name }) => (
          <li class="tile">
            <strong>{name}</strong>
            {id === person?.organisation?.id ? (
              <span class="soft">{messages.thisOneNow}</span>
            ) : (
              <form method="post" action={organisationsPath}>
                <input type="hidden" name="organisation" value={id} />
                <button
                  class="btn btn-outline-primary btn-sm"
                  type="submit"
                  name="do"
                  value="go to"
                >
                  {messages.goTo}
                </button>
              </form>
            )}
          </li>
        ))}
      </ul>
      <PlanUsage scope={scope} lines={await usageLines(scope)} change={paymentAddress(scope)} />
      {isOperator(person) && access.organisations.plans && (
        <Plans scope={scope} all={await allOrganisations(scope)} />
      )}
      {isAdministrator(person) && (
        <form method="post" action={organisationsPath} class="sheet narrow-form">
          <PlainInput
            name="name"
            label={messages.nameOf(label)}
            value={person?.organisation?.name ?? ""}
            errors={errors}
          />
          <button class="btn btn-primary" type="submit" name="do" value="rename">
            {messages.save}
          </button>
        </form>
      )}
      {mayBegin(scope) && (
        <form method="post" action={organisationsPath} class="sheet narrow-form">
          <PlainInput name="new" label={messages.anotherOne(label)} errors={errors} />
          <button class="btn btn-outline-primary" type="submit" name="do" value="begin">
            {messages.begin}
          </button>
        </form>
      )}
    </>
  );
  return showPage(c, scope, page, { title, status });
}
