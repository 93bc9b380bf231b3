import { sql } from "kysely";
import type { Access } from "./access.ts";
import type { Person } from "./person.ts";
import type { Policy } from "./scope.ts";

/** The group whose members may do everything, and manage the others. */
export const administrators = "administrators";

export function isAdministrator(person: Person | undefined): boolean {
  return person?.groups?.includes(administrators) ?? false;
}

/** The groups whose rights somebody has. Whoever is signed in may do what visitors may, too. */
function groupsOf(person: Person | undefined): readonly string[] {
  return person ? ["visitors", "everyone", ...(person.groups ?? [])] : ["visitors"];
}

/** The policy that the rights of groups make. What somebody may not see isn't there for them. */
export function policyOf({ rights }: Access): Policy {
  const may: Policy["may"] = ({ person }, action, { table }) => {
    if (isAdministrator(person)) return true;
    const its = rights[table] ?? {};
    return groupsOf(person).some(
      (group) => Object.hasOwn(its, group) && its[group]?.includes(action),
    );
  };
  return {
    may,
    visible: (scope, entity) => (may(scope, "see", entity) ? undefined : sql`1 = 0`),
  };
}
