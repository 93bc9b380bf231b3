import type { Action } from "../access/action.ts";
import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import { withQuery } from "../entity/links.ts";
import type { PageLink } from "../entity/page-link.ts";
import { firstPage } from "../store/list/request.ts";

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
  query,
}: {
  scope: Scope;
  entity: Entity;
  on: PageLink["on"];
  at: string;
  /** Links that need one of these are left out. */
  without?: readonly Action[] | undefined;
  /** The query of a list, which some links take along. */
  query?: URLSearchParams;
}) {
  return (
    <>
      {scope
        .linksOf(entity, on)
        .filter(({ needs }) => !without.includes(needs))
        .map((link) => (
          <a
            class={`btn ${looks[link.look]}`}
            href={
              link.keepsQuery && query
                ? withQuery(at + link.path, query, firstPage)
                : at + link.path
            }
          >
            {scope.textOf(link, entity)}
          </a>
        ))}
    </>
  );
}
