import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import { type EmbeddedPage, embeddedAddress } from "../../http/embedded-page.ts";
import { originFor } from "../../http/public-address.ts";
import { showPage } from "../../ui/layout.tsx";

/** What may stand in other sites, and what to write there. */
export function showSites(c: Context, scope: Scope, pages: readonly EmbeddedPage[]) {
  const { embedded } = scope.messages;
  const origin = originFor(c.req.url);
  const titleOf = ({ of, title }: EmbeddedPage) =>
    title === undefined
      ? scope.namesOf(scope.entities.named(of)).headings
      : scope.translated(title);
  const content = (
    <>
      <h1>{embedded.sites}</h1>
      <p>{embedded.how}</p>
      {pages.map((page) => (
        <section class="sheet">
          <h2>
            {titleOf(page)} <span class="kind">{embedded.kinds[page.kind]}</span>
          </h2>
          <p class="soft">{embedded.shownOn(page.origins)}</p>
          <pre class="code" tabindex={0}>
            <code>{codeFor(page, origin, titleOf(page))}</code>
          </pre>
          {page.kind === "record" ? (
            <p class="soft">{embedded.whichRecord}</p>
          ) : (
            <a href={embeddedAddress(page)} target="_blank" rel="noopener">
              {embedded.look}
            </a>
          )}
        </section>
      ))}
    </>
  );
  return showPage(c, scope, content, { title: embedded.sites });
}

/** The HTML with which a site shows a page. */
function codeFor(page: EmbeddedPage, origin: string, title: string): string {
  const record = page.kind === "record" ? "/1" : "";
  const name = title.replace(/[&<"]/g, (sign) => ({ "&": "&amp;", "<": "&lt;" })[sign] ?? "&quot;");
  return `<iframe src="${origin}${embeddedAddress(page)}${record}" title="${name}" width="100%"></iframe>
<script src="${origin}/-/assets/embedding.js" defer></script>`;
}
