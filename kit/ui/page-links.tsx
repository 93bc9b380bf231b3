import type { Action } from "../access/action.ts";
import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import type { PageLink } from "../entity/page-link.ts";

const looks: Readonly<Record<PageLink["look"], string>> = {
  primary: "btn-primary",
  secondary: "btn-outline-secondary",
  danger: "btn-outline-danger",
};

/** The links of an entity's features beside a heading: `at` is the address of the list, or of the record. */
export function PageLinks({
  scope,
  entity,
  on,
  at,
  without = [],
}: {
  scope: Scope;
  entity: Entity;
  on: PageLink["on"];
  at: string;
  /** Links that need one of these are left out. */
  without?: readonly Action[] | undefined;
}) {
  return (
    <>
      {scope
        .linksOf(entity, on)
        .filter(({ needs }) => !without.includes(needs))
        .map(({ path, look, text }) => (
          <a class={`btn ${looks[look]}`} href={`${at}${path}`}>
            {text(scope.messages, scope.namesOf(entity))}
          </a>
        ))}
    </>
  );
}
