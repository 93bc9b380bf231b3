import type { Scope } from "../access/scope.ts";
import { withQuery } from "../entity/links.ts";
import type { PagerLinks, PlaceChange } from "../store/list/pager.ts";

/** Links to the other pages of a list; nothing where there is only one. */
export function Pager({
  scope,
  path,
  query,
  pager,
  part,
}: {
  scope: Scope;
  path: string;
  query: URLSearchParams;
  pager: PagerLinks;
  /** By what the address speaks of the list, where there are several on the page. */
  part?: string;
}) {
  const { page, pages } = pager;
  if (!pager.previous && !pager.next) return null;
  const { messages, format } = scope;
  const addressOf = (change: PlaceChange) => {
    if (part === undefined) return withQuery(path, query, change);
    const own = Object.entries(change).map(([name, value]) => [`${part}.${name}`, value]);
    return `${withQuery(path, query, Object.fromEntries(own))}#${part}`;
  };
  const step = (name: "first" | "previous" | "next" | "last", rel?: string) => {
    const change = pager[name];
    return change ? (
      <a
        class="btn btn-outline-secondary btn-sm"
        href={addressOf(change)}
        {...(rel !== undefined && { rel })}
      >
        {messages[name]}
      </a>
    ) : (
      <span class="btn btn-outline-secondary btn-sm disabled" aria-hidden="true">
        {messages[name]}
      </span>
    );
  };
  const number = page === undefined ? undefined : format.number(page);
  return (
    <nav class="pager" aria-label={messages.pages}>
      {step("first")}
      {step("previous", "prev")}
      {number !== undefined && (
        <span>
          {pages === undefined
            ? messages.pageNumber(number)
            : messages.pageOf(number, format.number(pages))}
        </span>
      )}
      {step("next", "next")}
      {step("last")}
    </nav>
  );
}
