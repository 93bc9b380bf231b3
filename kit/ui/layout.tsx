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
import { keepsViews, type MenuView, menuViews } from "../access/kept-views.ts";
import { isAdministrator } from "../access/person.ts";
import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
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
  if (scope.embedded) {
    const frame = (
      <EmbeddedFrame scope={scope} title={title}>
        {content}
      </EmbeddedFrame>
    );
    return c.html(`<!DOCTYPE html>${frame}`);
  }
  const page = (notice?: Outcome, views: readonly MenuView[] = []) => {
    const at = { path: c.req.path, search: new URL(c.req.url).search };
    const frame = (
      <Frame scope={scope} at={at} title={title} notice={notice} views={views}>
        {content}
      </Frame>
    );
    return c.html(`<!DOCTYPE html>${frame}`);
  };
  if (!hasFlash(c) && !keepsViews(scope)) return page();
  // A page that says what went wrong with the database can't ask it.
  const asked = Promise.all([hasFlash(c) ? takeFlash(c, scope) : undefined, menuViews(scope)]);
  return asked.then(
    ([notice, views]) => page(notice, views),
    () => page(),
  );
}

/** The address of a page. */
interface At {
  path: string;
  search: string;
}

/** The frame of a page in another site: nothing but the page. */
function EmbeddedFrame({
  scope,
  title,
  children,
}: {
  scope: Scope;
  title: string | undefined;
  children?: Child;
}) {
  const { name, look } = scope.settings;
  return (
    <html lang={spokenLanguage(scope.language)} data-look={look} data-person="">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <meta name="robots" content="noindex" />
        <title>{title ? `${title} · ${name}` : name}</title>
        <link rel="stylesheet" href="/-/assets/app.css" />
        <script type="module" src="/-/assets/client.js" />
      </head>
      <body class="embedded">
        <main>{children}</main>
      </body>
    </html>
  );
}

/** The frame of a page: heading, menu, flash message. */
function Frame({
  scope,
  at,
  title,
  notice,
  views,
  children,
}: {
  scope: Scope;
  at: At;
  title: string | undefined;
  notice: Outcome | undefined;
  views: readonly MenuView[];
  children?: Child;
}) {
  const { messages } = scope;
  const { name, color, logo } = scope.settings;
  const { path } = at;
  const notes = developmentNotes();
  const menu = <Menu scope={scope} at={at} views={views} />;
  return (
    <html
      lang={spokenLanguage(scope.language)}
      data-appearance={scope.person?.appearance}
      data-look={scope.settings.look}
      data-offline={scope.settings.offline ? messages.offline : undefined}
      data-person={scope.person?.id ?? ""}
    >
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <title>{title ? `${title} · ${name}` : name}</title>
        {color && <meta name="theme-color" content={color} />}
        <link rel="icon" href="/-/assets/icon.svg" type="image/svg+xml" />
        <link rel="manifest" href="/-/manifest.json" />
        <link rel="stylesheet" href="/-/assets/app.css" />
        <script type="module" src="/-/assets/client.js" />
      </head>
      <body>
        <a class="visually-hidden-focusable skip" href="#content">
          {messages.skip}
        </a>
        <header class="masthead">
          <a class="name" href="/">
            {logo && <img src="/-/assets/logo.svg" alt="" />}
            {name}
          </a>
          <FindBox scope={scope} at={at} />
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

interface MenuLink {
  text: string;
  href: string;
  /** The table whose picture stands beside it. */
  icon?: string | undefined;
}

/** Some links of the menu, under a heading if they have one. */
interface MenuGroup {
  label?: string;
  links: readonly MenuLink[];
}

/** What the features of the entities have in the menu, and the views that were put there, of what the person may see. */
function Menu({
  scope,
  at: { path, search },
  views,
}: {
  scope: Scope;
  at: At;
  views: readonly MenuView[];
}) {
  const linksOf = (entity: Entity): MenuLink[] => [
    ...scope.linksOf(entity, "menu").map((link) => ({
      text: scope.textOf(link, entity),
      href: entity.path + link.path,
      icon: entity.icon && link.path === "" ? entity.table : undefined,
    })),
    ...views
      .filter(({ entity_table: table }) => table === entity.table && scope.may("see", entity))
      .map(({ name, query }) => ({ text: name, href: `${encodeURI(entity.path)}?${query}` })),
  ];
  const tables = (names: readonly string[]) =>
    names.flatMap((name) => linksOf(scope.entities.named(name)));
  const { menu } = scope.settings;
  const groups: MenuGroup[] = menu
    ? menu.map((item) => {
        if ("table" in item) return { links: tables([item.table]) };
        const label = scope.translated(item.label);
        if ("href" in item) return { links: [{ text: label, href: item.href }] };
        return { label, links: tables(item.tables) };
      })
    : [{ links: scope.entities.all.flatMap(linksOf) }];
  const links = groups.flatMap((group) => group.links);
  // A page that has no link of its own belongs to the list of its entity.
  const own = [path + search, path].find((each) => links.some(({ href }) => href === each));
  const here = own ?? `/${path.split("/")[1]}`;
  const line = ({ text, href, icon }: MenuLink) => (
    <li>
      <a href={href} aria-current={href === here ? "page" : undefined} data-icon={icon}>
        {text}
      </a>
    </li>
  );
  return (
    <ul class="menu">
      {groups.map(({ label, links: some }) =>
        label === undefined ? (
          some.map(line)
        ) : some.length === 0 ? null : (
          <li class="menu-group">
            <span>{label}</span>
            <ul>{some.map(line)}</ul>
          </li>
        ),
      )}
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
