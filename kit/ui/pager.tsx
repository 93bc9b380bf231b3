import type { Scope } from "../access/scope.ts";
import { withQuery } from "../entity/links.ts";
import type { PagerLinks } from "../store/list/pager.ts";

/** Links to the other pages of a list; nothing where there is only one. */
export function Pager({
  scope,
  path,
  query,
  pager,
}: {
  scope: Scope;
  path: string;
  query: URLSearchParams;
  pager: PagerLinks;
}) {
  const { page, pages } = pager;
  if (!pager.previous && !pager.next) return null;
  const { messages, format } = scope;
  const step = (name: "first" | "previous" | "next" | "last", rel?: string) => {
    const change = pager[name];
    return change ? (
      <a
        class="btn btn-outline-secondary btn-sm"
        href={withQuery(path, query, change)}
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
