import type { EmbeddedPage } from "../http/embedded-page.ts";
import type { Policy } from "./scope.ts";

/** The policy in an embedded page: to see what visitors may see, and to add where it is a form for that. */
export function visitorsOnly(policy: Policy, { kind, of }: EmbeddedPage): Policy {
  return {
    ...policy,
    may: (scope, action, entity) =>
      (action === "see" || (action === "add" && kind === "form" && entity.table === of)) &&
      policy.may(scope, action, entity),
  };
}
