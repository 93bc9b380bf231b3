import type { Context, MiddlewareHandler } from "hono";
import { memo, type PropsWithChildren } from "hono/jsx";
import type { Kysely } from "kysely";
import { DevelopmentFooter, developmentNotes } from "./development.tsx";
import { hasFlash, takeFlash } from "./flash.ts";
import { settings } from "./settings.ts";
import type { Outcome } from "./submissions.ts";

declare module "hono" {
  interface ContextRenderer {
    // biome-ignore lint/style/useShorthandFunctionType: declared as an interface so that it merges with Hono's own
    (content: string | Promise<string>, props?: { title?: string }): Response | Promise<Response>;
  }
}

/** An entry of the menu. */
export interface MenuEntry {
  path: string;
  label: string;
}

/** The menu with the place in it; the same for every record of a kind. */
const Menu = memo(({ menu, here }: { menu: readonly MenuEntry[]; here: string }) => (
  <ul class="menu">
    {menu.map(({ path, label }) => (
      <li>
        <a href={path} aria-current={path === here ? "page" : undefined}>
          {label}
        </a>
      </li>
    ))}
  </ul>
));

/** Puts a frame around every page. */
export function layout<Tables>(db: Kysely<Tables>, menu: readonly MenuEntry[]): MiddlewareHandler {
  return (c, next) => {
    c.setRenderer((children, { title } = {}) => {
      const page = (notice?: Outcome) => (
        <Frame c={c} menu={menu} title={title} notice={notice}>
          {children}
        </Frame>
      );
      if (!hasFlash(c)) return send(c, page().toString());
      // A page that says what went wrong with the database can't ask it.
      const taken = takeFlash(c, db).catch(() => undefined);
      return taken.then((notice) => send(c, page(notice).toString()));
    });
    return next();
  };
}

/** Sends a page as a plain text, at once where it is one already. */
function send(c: Context, page: string | Promise<string>): Response | Promise<Response> {
  if (typeof page !== "string") return page.then((text) => send(c, text));
  return c.html(`<!DOCTYPE html>${page}`);
}

/** The frame of a page: heading, menu, flash message. */
function Frame({
  c,
  menu,
  title,
  notice,
  children,
}: PropsWithChildren<{
  c: Context;
  menu: readonly MenuEntry[];
  title: string | undefined;
  notice: Outcome | undefined;
}>) {
  const { name, language } = settings();
  const notes = developmentNotes();
  const entries = <Menu menu={menu} here={`/${c.req.path.split("/")[1]}`} />;
  return (
    <html lang={language}>
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <title>{title ? `${title} · ${name}` : name}</title>
        <link rel="icon" href="/-/assets/icon.svg" type="image/svg+xml" />
        <link rel="stylesheet" href="/-/assets/app.css" />
        <script type="module" src="/-/assets/client.js" />
      </head>
      <body>
        <a class="visually-hidden-focusable skip" href="#content">
          Skip to the content
        </a>
        <header class="masthead">
          <a class="name" href="/">
            {name}
          </a>
          <details class="narrow-menu">
            <summary>Menu</summary>
            <nav aria-label="Menu">{entries}</nav>
          </details>
        </header>
        <div class="frame">
          <nav class="side" aria-label="Menu">
            {entries}
          </nav>
          <main id="content" tabindex={-1}>
            {notice && (
              <div class="alert alert-success" role="status">
                {notice.text} {notice.link && <a href={notice.link.href}>{notice.link.text}</a>}
              </div>
            )}
            {children}
          </main>
        </div>
        {notes && <DevelopmentFooter notes={notes} path={c.req.path} />}
      </body>
    </html>
  );
}
