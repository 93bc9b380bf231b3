import type { Context } from "hono";
import type { Feature } from "../features/feature.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { organisationsPath, paymentPath } from "./addresses.ts";
import { isAdministrator } from "./person.ts";
import { PlainSelect } from "./plain-form.tsx";
import { planOf } from "./plan.ts";
import { setPlan } from "./plan-pages.tsx";
import { hasSamplePeople } from "./sample-people.ts";
import type { Scope } from "./scope.ts";

/**
 * A stand-in for a program that takes payments, while the application is being developed: it takes no money, and gives the
 * organisation the plan. A real one is where PAYMENT_ADDRESS says, and tells the application by `POST /-/plan`.
 */
export const paymentStandIn: Feature = {
  routes: [
    { method: "GET", path: paymentPath, needs: "administrator", answer: ask },
    { method: "POST", path: paymentPath, needs: "administrator", answer: paid },
  ],
};

/** Where the administrators of an organisation go to change its plan; undefined where they can't by themselves. */
export function paymentAddress(scope: Scope): string | undefined {
  const { person } = scope;
  if (!isAdministrator(person) || !person?.organisation || !planOf(scope)) return undefined;
  const asked = process.env.PAYMENT_ADDRESS?.trim() ?? "";
  if (/^https?:\/\//.test(asked) && URL.canParse(asked)) {
    const address = new URL(asked);
    address.searchParams.set("organisation", String(person.organisation.id));
    return address.href;
  }
  return hasSamplePeople(scope) ? paymentPath : undefined;
}

function isOffered(scope: Scope): boolean {
  return paymentAddress(scope) === paymentPath;
}

function ask(c: Context, scope: Scope) {
  if (!isOffered(scope)) return c.notFound();
  const { messages, access } = scope;
  const page = (
    <>
      <Trail
        scope={scope}
        to={organisationsPath}
        label={scope.translated(access?.organisations?.plural ?? "")}
      />
      <h1>{messages.changePlan}</h1>
      <p>{messages.paymentStandIn}</p>
      <form method="post" class="sheet narrow-form">
        <PlainSelect
          name="plan"
          label={messages.plan}
          value={planOf(scope)?.name ?? ""}
          choices={Object.keys(access?.organisations?.plans ?? {}).map((each) => [each, each])}
          errors={new Map()}
        />
        <button class="btn btn-primary" type="submit">
          {messages.pay}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.changePlan });
}

async function paid(c: Context, scope: Scope) {
  const plan = sentText(await sentForm(c), "plan");
  const plans = scope.access?.organisations?.plans ?? {};
  const organisation = scope.person?.organisation?.id;
  if (!isOffered(scope) || organisation === undefined || !Object.hasOwn(plans, plan))
    return c.notFound();
  await setPlan(scope, organisation, plan);
  return c.redirect(organisationsPath, 303);
}
