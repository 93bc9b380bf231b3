import type { Plan } from "./access.ts";
import type { Scope } from "./scope.ts";

/** The name of the plan that the organisation of a scope has, and what it allows; undefined where there are no plans. */
export function planOf({ access, person }: Scope): { name: string; plan: Plan } | undefined {
  const plans = access?.organisations?.plans;
  if (!plans || !person?.organisation) return undefined;
  const named = person.organisation.plan ?? "";
  const [first] = Object.keys(plans);
  const name = Object.hasOwn(plans, named) ? named : first;
  const plan = name === undefined ? undefined : plans[name];
  return name !== undefined && plan ? { name, plan } : undefined;
}
