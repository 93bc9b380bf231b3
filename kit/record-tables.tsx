import type { Child } from "hono/jsx";
import { formatCount, formatNumber } from "./formats.ts";
import { address, type Link, withQuery } from "./links.ts";
import type { ListPage } from "./lists.ts";

/** A record's title, linked to its page; nothing for null. */
export function RecordLink({
  path,
  id,
  title,
}: {
  path: string;
  id: number | null;
  title: string | null;
}) {
  if (id === null || title === null) return null;
  return <a href={address(path, { id, displayTitle: title })}>{title}</a>;
}

/** Several records, linked. */
export function RecordLinks({ path, links }: { path: string; links: readonly Link[] }) {
  return (
    <>
      {links.map((link, index) => (
        <>
          {index > 0 && ", "}
          <a href={address(path, link)}>{link.displayTitle}</a>
        </>
      ))}
    </>
  );
}

/** A colour, as a swatch beside its code. */
export function ColorText({ value }: { value: string | null }) {
  if (value === null) return null;
  return (
    <span class="color">
      <svg class="swatch" viewBox="0 0 1 1" preserveAspectRatio="none" aria-hidden="true">
        <rect width="1" height="1" fill={value} />
      </svg>
      {value}
    </span>
  );
}

/** A choice, as its label. */
export function ChoiceText({
  value,
  choices,
}: {
  value: string | null;
  choices: Readonly<Record<string, string>>;
}) {
  if (value === null) return null;
  return <span class="choice">{Object.hasOwn(choices, value) ? choices[value] : value}</span>;
}

/** The frame of a list: heading, search box, table, pages. */
export function ListFrame({
  title,
  path,
  one,
  many,
  page,
  searchable,
  children,
}: {
  title: string;
  path: string;
  one: string;
  many: string;
  page: ListPage<unknown>;
  searchable: boolean;
  children?: Child;
}) {
  const { request, narrowed } = page;
  return (
    <>
      <div class="heading">
        <h1>{title}</h1>
        <a class="btn btn-primary" href={`${path}/new`}>
          New {one}
        </a>
      </div>
      {searchable && (
        <search>
          <form class="search" method="get" action={path}>
            {request.sort && <input type="hidden" name="sort" value={request.sort} />}
            <label class="visually-hidden" for="search">
              Search in {many}
            </label>
            <input
              class="form-control"
              type="search"
              id="search"
              name="search"
              value={request.search}
              placeholder={`Search in ${many}`}
            />
            <button class="btn btn-outline-secondary" type="submit">
              Search
            </button>
          </form>
        </search>
      )}
      <p class="text-secondary small" role="status">
        {formatCount(page.total, one, many)}
        {request.search && ` with “${request.search}”`}
        {narrowed && (
          <>
            {" · "}
            <a href={path}>Show all</a>
          </>
        )}
      </p>
      {page.total === 0 ? (
        <p class="empty">
          {narrowed ? `No ${many} match.` : `There are no ${many} yet.`}{" "}
          {!narrowed && <a href={`${path}/new`}>Make the first one</a>}
        </p>
      ) : (
        <TableFrame label={title}>{children}</TableFrame>
      )}
      <Pager path={path} page={page} />
    </>
  );
}

/** The heading of a column; a link that sorts by it where the table is a list of its own. */
export function ColumnHeading({
  label,
  sort,
  list,
  path,
  numeric = false,
}: {
  label: string;
  sort: string;
  list?: ListPage<unknown> | undefined;
  path: string;
  numeric?: boolean;
}) {
  const kind = numeric ? "text-end" : undefined;
  if (!list) {
    return (
      <th scope="col" class={kind}>
        {label}
      </th>
    );
  }
  const ascending = list.sort === sort;
  const descending = list.sort === `-${sort}`;
  const next = withQuery(path, list.request.query, {
    sort: ascending ? `-${sort}` : sort,
    page: undefined,
  });
  return (
    <th
      scope="col"
      class={kind}
      aria-sort={ascending ? "ascending" : descending ? "descending" : undefined}
    >
      <a class="sort" href={next}>
        {label}
        <span aria-hidden="true">{ascending ? " ↑" : descending ? " ↓" : ""}</span>
      </a>
    </th>
  );
}

function Pager({ path, page }: { path: string; page: ListPage<unknown> }) {
  if (page.pages === 1) return null;
  const to = (number: number) =>
    withQuery(path, page.request.query, { page: number === 1 ? undefined : String(number) });
  const step = (number: number, label: string, rel: string) =>
    number >= 1 && number <= page.pages ? (
      <a class="btn btn-outline-secondary btn-sm" href={to(number)} rel={rel}>
        {label}
      </a>
    ) : (
      <span class="btn btn-outline-secondary btn-sm disabled" aria-hidden="true">
        {label}
      </span>
    );
  return (
    <nav class="pager" aria-label="Pages">
      {step(page.page - 1, "Previous", "prev")}
      <span>
        Page {formatNumber(page.page)} of {formatNumber(page.pages)}
      </span>
      {step(page.page + 1, "Next", "next")}
    </nav>
  );
}

/** A table that can be scrolled sideways, with the keyboard too. */
export function TableFrame({ label, children }: { label: string; children?: Child }) {
  return (
    <section class="table-responsive" tabindex={0} aria-label={label}>
      {children}
    </section>
  );
}

/** What a table of records gets. */
export interface TableProps<Row> {
  rows: readonly Row[];
  /** The list that it shows a page of, when its headings sort. */
  list?: ListPage<unknown>;
  /** A field whose column is left out, because all rows have the same in it. */
  without?: string;
  /** The page to come back to after an edit; each row gets a link for it. */
  back?: string;
}

/** The last cell of a row on another record's page: edits it, and returns. */
export function EditCell({ path, record, back }: { path: string; record: Link; back?: string }) {
  if (!back) return null;
  const query = new URLSearchParams({ _back: back });
  return (
    <td class="text-end">
      <a href={`${address(path, record)}/edit?${query}`} aria-label={`Edit ${record.displayTitle}`}>
        Edit
      </a>
    </td>
  );
}

/** The heading over those cells. */
export function EditHeading({ back }: { back?: string | undefined }) {
  return back ? (
    <th scope="col">
      <span class="visually-hidden">Edit</span>
    </th>
  ) : null;
}

/** The cell that leads to the record's own page. */
export function RecordCell({
  path,
  record,
  numeric = false,
  children,
}: {
  path: string;
  record: Link;
  numeric?: boolean;
  children?: Child;
}) {
  const blank = children === null || children === undefined || children === "";
  return (
    <td class={numeric ? "text-end" : undefined}>
      <a href={address(path, record)}>{blank ? record.displayTitle : children}</a>
    </td>
  );
}

/** An email address that opens a message. */
export function EmailLink({ value }: { value: string | null }) {
  return value === null ? null : <a href={`mailto:${encodeURIComponent(value)}`}>{value}</a>;
}

/** A telephone number that can be called. */
export function PhoneLink({ value }: { value: string | null }) {
  return value === null ? null : <a href={`tel:${value.replace(/[^+\d]/g, "")}`}>{value}</a>;
}

/** A web address; only http and https lead anywhere. */
export function WebLink({ value }: { value: string | null }) {
  if (value === null) return null;
  if (!/^https?:\/\//i.test(value)) return <>{value}</>;
  return (
    <a href={value} rel="noreferrer noopener">
      {value}
    </a>
  );
}
