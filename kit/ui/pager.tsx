import type { Scope } from "../access/scope.ts";
import { withQuery } from "../entity/links.ts";

/** Links to the pages before and after one; nothing where there is only one. */
export function Pager({
  scope,
  path,
  query,
  page,
  pages,
}: {
  scope: Scope;
  path: string;
  query: URLSearchParams;
  page: number;
  pages: number;
}) {
  if (pages === 1) return null;
  const { messages, format } = scope;
  const step = (number: number, label: string, rel: string) =>
    number >= 1 && number <= pages ? (
      <a
        class="btn btn-outline-secondary btn-sm"
        href={withQuery(path, query, { page: number === 1 ? undefined : String(number) })}
        rel={rel}
      >
        {label}
      </a>
    ) : (
      <span class="btn btn-outline-secondary btn-sm disabled" aria-hidden="true">
        {label}
      </span>
    );
  return (
    <nav class="pager" aria-label={messages.pages}>
      {step(page - 1, messages.previous, "prev")}
      <span>{messages.pageOf(format.number(page), format.number(pages))}</span>
      {step(page + 1, messages.next, "next")}
    </nav>
  );
}
