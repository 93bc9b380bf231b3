import type { Context } from "hono";
import * as z from "zod";
import type { Feature } from "../features/feature.ts";
import { noteEvent } from "../store/audit.ts";
import { accountTables } from "./account-tables.ts";
import { organisationsPath, planPath } from "./addresses.ts";
import { countAttempt } from "./attempts.ts";
import { planOf } from "./plan.ts";
import { peopleUsage, type Usage, usageOf } from "./plans.ts";
import type { Scope } from "./scope.ts";
import { digestOf } from "./secrets.ts";

/**
 * Where a program that takes payments says which plan an organisation has now: `POST /-/plan` with
 * `{"organisation": 2, "plan": "large"}`, and the secret of PLAN_SECRET as a bearer token.
 */
export const planHook: Feature = {
  routes: [{ method: "POST", path: planPath, needs: "nothing", answer: told }],
};

const askedShape = z.object({
  organisation: z.number().int().positive(),
  plan: z.string().max(40),
});

async function told(c: Context, scope: Scope) {
  const secret = process.env.PLAN_SECRET?.trim() ?? "";
  const given = c.req.header("authorization") ?? "";
  if (secret.length < 20 || !scope.access?.organisations?.plans) return c.notFound();
  const limits = [{ subject: "plan hook", most: 1000 }];
  if (!(await countAttempt(accountTables(scope.db), limits)))
    return c.text("Too many requests.\n", 429);
  // Digests take as long to compare, whatever is in them.
  if (digestOf(given) !== digestOf(`Bearer ${secret}`))
    return c.text("The secret is wrong.\n", 401);
  const asked = askedShape.safeParse(await c.req.json().catch(() => undefined));
  if (!asked.success) return c.text('Send {"organisation": 2, "plan": "large"} as JSON.\n', 422);
  const { organisation, plan } = asked.data;
  if (!Object.hasOwn(scope.access.organisations.plans, plan)) {
    return c.text("There is no such plan.\n", 422);
  }
  if (!(await setPlan(scope, organisation, plan))) {
    return c.text("There is no such organisation.\n", 422);
  }
  return c.text("Done.\n");
}

/** Gives an organisation a plan; false where there is none with the number. */
export async function setPlan(scope: Scope, id: number, plan: string): Promise<boolean> {
  const { numUpdatedRows } = await accountTables(scope.db)
    .updateTable("levadura_organisation")
    .set({ plan })
    .where("id", "=", id)
    .executeTakeFirst();
  if (numUpdatedRows === 0n) return false;
  await noteEvent(scope.inOrganisation(id), "organisation", { plan });
  return true;
}

/** A line of what an organisation has of what its plan allows. */
interface UsageLine extends Usage {
  label: string;
}

export async function usageLines(scope: Scope): Promise<UsageLine[]> {
  const lines: UsageLine[] = [];
  for (const entity of scope.entities.all) {
    const usage = await usageOf(scope, entity);
    if (usage) lines.push({ label: scope.namesOf(entity).headings, ...usage });
  }
  const people = await peopleUsage(scope);
  if (people) lines.push({ label: scope.messages.people, ...people });
  return lines;
}

/** What the organisation has, of what its plan allows. */
export function PlanUsage({
  scope,
  lines,
  change,
}: {
  scope: Scope;
  lines: readonly UsageLine[];
  /** Where another plan is chosen, if somebody can. */
  change: string | undefined;
}) {
  const { messages, format } = scope;
  const name = planOf(scope)?.name;
  if (name === undefined) return null;
  return (
    <section class="sheet narrow-form">
      <h2>
        {messages.plan}: {name}
      </h2>
      <dl class="facts">
        {lines.map(({ label, used, most }) => (
          <div>
            <dt>{label}</dt>
            <dd>{messages.planUsage(format.number(used), format.number(most))}</dd>
          </div>
        ))}
      </dl>
      {change && (
        <a class="btn btn-outline-primary" href={change}>
          {messages.changePlan}
        </a>
      )}
    </section>
  );
}

interface Organisation {
  id: number;
  name: string;
  plan: string | null;
}

const mostListed = 200;

/** The organisations of the application, for those who run it. */
export function allOrganisations({ db }: Scope): Promise<Organisation[]> {
  return accountTables(db)
    .selectFrom("levadura_organisation")
    .select(["id", "name", "plan"])
    .orderBy("id")
    .limit(mostListed)
    .execute();
}

/** The plans of all organisations, to be changed. */
export function Plans({
  scope: { messages, access },
  all,
}: {
  scope: Scope;
  all: readonly Organisation[];
}) {
  const plans = Object.keys(access?.organisations?.plans ?? {});
  return (
    <section class="sheet">
      <h2>{messages.changePlan}</h2>
      {all.map(({ id, name, plan }) => (
        <form method="post" action={organisationsPath} class="plan">
          <input type="hidden" name="organisation" value={id} />
          <label for={`plan-${id}`}>{name}</label>
          <select class="form-select" id={`plan-${id}`} name="plan">
            {plans.map((each) => (
              <option value={each} selected={each === (plan ?? plans[0])}>
                {each}
              </option>
            ))}
          </select>
          <button class="btn btn-outline-primary" type="submit" name="do" value="plan">
            {messages.save}
          </button>
        </form>
      ))}
    </section>
  );
}
