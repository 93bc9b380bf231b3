import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Entity } from "../entity/entity.ts";
import type { Access, Grant } from "./access.ts";
import type { Action } from "./action.ts";
import { blankedColumns } from "./blanked-columns.ts";
import { rightKey } from "./changed-rights.ts";
import { isAdministrator, type Person } from "./person.ts";
import { planOf } from "./plan.ts";
import type { Policy, Scope, Withheld } from "./scope.ts";

/** Whether somebody runs the application: the administrators, or those of the first organisation. */
export function isOperator(person: Person | undefined): boolean {
  const first = person?.organisation === undefined || person.organisation.id === 1;
  return first && isAdministrator(person);
}

/** The groups whose rights somebody has. Whoever is signed in may do what visitors may, too. */
function groupsOf(person: Person | undefined): readonly string[] {
  return person ? ["visitors", "everyone", ...(person.groups ?? [])] : ["visitors"];
}

/** The fields that are none of what a right gives. */
function withheldBy({ hidden = [], readOnly = [] }: Grant, action: Action): readonly string[] {
  return action === "add" || action === "change" ? [...hidden, ...readOnly] : hidden;
}

/** What the rights of a group leave out of records. */
function withheldIn([grant]: readonly Grant[]): Pick<Grant, "hidden" | "readOnly"> {
  const { hidden, readOnly } = grant ?? {};
  return { ...(hidden && { hidden }), ...(readOnly && { readOnly }) };
}

/** The policy that the rights of groups make. What somebody may not see isn't there for them. */
export function policyOf({ rights }: Access): Policy {
  const grants = (scope: Scope, action: Action, { table }: Entity): readonly Grant[] => {
    const its = rights[table] ?? {};
    return groupsOf(scope.person).flatMap((group) => {
      const own = Object.hasOwn(its, group) ? (its[group] ?? []) : [];
      const changed = scope.changed.get(rightKey(group, table, action));
      if (changed === "none") return [];
      if (changed === "all") return [{ ...withheldIn(own), may: [action] }];
      return own.filter(({ may }) => may.includes(action));
    });
  };
  const rows = (scope: Scope, action: Action, entity: Entity): RawBuilder<SqlBool> | undefined => {
    if (isAdministrator(scope.person)) return undefined;
    const conditions: RawBuilder<unknown>[] = [];
    for (const { where } of grants(scope, action, entity)) {
      if (!where) return undefined;
      conditions.push(where(scope));
    }
    return conditions.length === 0 ? sql`1 = 0` : sql`(${sql.join(conditions, sql` or `)})`;
  };
  const withheld = (scope: Scope, action: Action, entity: Entity): Withheld => {
    const found = new Map<string, RawBuilder<SqlBool> | undefined>();
    if (isAdministrator(scope.person)) return found;
    const given = grants(scope, action, entity);
    for (const name of new Set(given.flatMap((grant) => withheldBy(grant, action)))) {
      const others = given.filter((grant) => !withheldBy(grant, action).includes(name));
      if (others.some(({ where }) => !where)) continue;
      const conditions = others.flatMap(({ where }) => where?.(scope) ?? []);
      found.set(
        name,
        conditions.length === 0 ? undefined : sql`(${sql.join(conditions, sql` or `)})`,
      );
    }
    return found;
  };
  return {
    may: (scope, action, entity) =>
      !planOf(scope)?.plan.without?.includes(action) &&
      (isAdministrator(scope.person) || grants(scope, action, entity).length > 0),
    visible: (scope, entity) => rows(scope, "see", entity),
    limits: rows,
    withheld,
    blanked: blankedColumns,
  };
}
