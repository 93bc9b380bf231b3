import type { Context } from "hono";
import type { Child } from "hono/jsx";
import {
  accountPath,
  calendarPath,
  organisationsPath,
  peoplePath,
  signInAddress,
  signInPath,
  signOutPath,
} from "../access/addresses.ts";
import { isAdministrator } from "../access/person.ts";
import type { Scope } from "../access/scope.ts";
import { hasFlash, takeFlash } from "../http/flash.ts";
import { spokenLanguage } from "../messages/messages.ts";
import type { Outcome } from "../store/submissions.ts";
import { DevelopmentFooter, developmentNotes } from "./development.tsx";
import { FindBox } from "./find-box.tsx";

/** What a page is besides its content. */
interface PageOptions {
  title?: string;
  status?: number;
}

/** Answers with a page in the frame of the application, and tells the result of the last form in it. */
export function showPage(
  c: Context,
  scope: Scope,
  content: Child,
  { title, status = 200 }: PageOptions = {},
): Response | Promise<Response> {
  c.status(status as 200);
  const page = (notice?: Outcome) => {
    const frame = (
      <Frame scope={scope} path={c.req.path} title={title} notice={notice}>
        {content}
      </Frame>
    );
    return c.html(`<!DOCTYPE html>${frame}`);
  };
  if (!hasFlash(c)) return page();
  // A page that says what went wrong with the database can't ask it.
  return takeFlash(c, scope)
    .catch(() => undefined)
    .then(page);
}

/** The frame of a page: heading, menu, flash message. */
function Frame({
  scope,
  path,
  title,
  notice,
  children,
}: {
  scope: Scope;
  path: string;
  title: string | undefined;
  notice: Outcome | undefined;
  children?: Child;
}) {
  const { messages } = scope;
  const { name } = scope.settings;
  const notes = developmentNotes();
  const menu = <Menu scope={scope} path={path} />;
  return (
    <html lang={spokenLanguage(scope.language)} data-appearance={scope.person?.appearance}>
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
          {messages.skip}
        </a>
        <header class="masthead">
          <a class="name" href="/">
            {name}
          </a>
          <FindBox scope={scope} path={path} />
          <Who scope={scope} path={path} />
          <details class="narrow-menu">
            <summary>{messages.menu}</summary>
            <nav aria-label={messages.menu}>{menu}</nav>
          </details>
        </header>
        <div class="frame">
          <nav class="side" aria-label={messages.menu}>
            {menu}
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
        {notes && <DevelopmentFooter notes={notes} path={path} />}
      </body>
    </html>
  );
}

/** Who is signed in, with the way to their account and out; or the way in. */
function Who({ scope, path }: { scope: Scope; path: string }) {
  const { access, person, messages } = scope;
  if (!access) return null;
  if (!person) {
    return path === signInPath ? null : (
      <nav class="who" aria-label={messages.yourAccount}>
        <a href={signInAddress(path)}>{messages.signIn}</a>
      </nav>
    );
  }
  return (
    <nav class="who" aria-label={messages.yourAccount}>
      {access.organisations && (
        <a class="organisation" href={organisationsPath}>
          {person.organisation?.name ?? scope.translated(access.organisations.plural)}
        </a>
      )}
      {isAdministrator(person) && <a href={peoplePath}>{messages.people}</a>}
      <a href={accountPath}>{person.name}</a>
      <form method="post" action={signOutPath}>
        <button type="submit">{messages.signOut}</button>
      </form>
    </nav>
  );
}

/** What the features of the entities have in the menu, of what the person may see. */
function Menu({ scope, path }: { scope: Scope; path: string }) {
  const links = scope.entities.all.flatMap((entity) =>
    scope.linksOf(entity, "menu").map((link) => ({ entity, link, href: entity.path + link.path })),
  );
  // A page that has no link of its own belongs to the list of its entity.
  const own = links.find(({ href }) => href === path)?.href;
  const here = own ?? `/${path.split("/")[1]}`;
  return (
    <ul class="menu">
      {links.map(({ entity, link, href }) => (
        <li>
          <a href={href} aria-current={href === here ? "page" : undefined}>
            {scope.textOf(link, entity)}
          </a>
        </li>
      ))}
      {scope.entities.all.some((each) => each.calendar && scope.may("see", each)) && (
        <li class="menu-apart">
          <a href={calendarPath} aria-current={path === calendarPath ? "page" : undefined}>
            {scope.messages.calendar.title}
          </a>
        </li>
      )}
    </ul>
  );
}

/** The way back to the list that a page belongs to. */
export function Trail({ to, label, scope }: { to: string; label: string; scope: Scope }) {
  return (
    <nav aria-label={scope.messages.youAreHere} class="trail">
      <a href={to}>← {label}</a>
    </nav>
  );
}
