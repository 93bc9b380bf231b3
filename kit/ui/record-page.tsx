import type { Child } from "hono/jsx";
import type { Action } from "../access/action.ts";
import type { Scope } from "../access/scope.ts";
import { type Entity, isReference, type Row, type RowOf } from "../entity/entity.ts";
import { address, type Link, withQuery } from "../entity/links.ts";
import { archivedAt } from "../store/archive.ts";
import { filterParameter } from "../store/list/filters.ts";
import type { ListPage } from "../store/list/list.ts";
import type { Neighbours } from "../store/list/neighbours.ts";
import type { Columns } from "./columns.ts";
import { Trail } from "./layout.tsx";
import { PageLinks } from "./page-links.tsx";
import { Pager } from "./pager.tsx";
import { RecordTable } from "./table.tsx";
import { labelOfColumn, shownValue } from "./value.tsx";

/** A record on its page, and the scope of who looks at it. */
export interface View<Known extends Entity = Entity> {
  scope: Scope;
  entity: Known;
  record: RowOf<Known>;
  /** What they may not do with it, of what they may do with other records. */
  refused?: readonly Action[];
  /** What the address says besides: which pages of its lists are shown, and what is searched in them. */
  query?: URLSearchParams;
  /** The list in which it is looked at, and the records around it there. */
  within?: { query: string; neighbours: Neighbours; isBeside: boolean } | undefined;
  /** Whether it was added for a lookup of a form in another tab. */
  isForLookup?: boolean;
}

/** The frame of a record's page: its title, what can be done with it, its sections. */
export function RecordFrame<Known extends Entity>({
  view,
  children,
}: {
  view: View<Known>;
  children?: Child;
}) {
  const { scope, entity } = view;
  const record = view.record as Row;
  const { heading, headings } = scope.namesOf(entity);
  const archived = archivedAt(entity as unknown as Entity, record);
  const page = (
    <>
      {!scope.embedded && (
        <div class="trail-and-steps">
          <Trail
            scope={scope}
            to={withQuery(encodeURI(entity.path), new URLSearchParams(view.within?.query), {})}
            label={headings}
          />
          {view.within && (
            <Steps scope={scope} label={headings} at={address(record)} within={view.within} />
          )}
        </div>
      )}
      <div class="heading">
        <h1>
          <span class="kind">{heading}</span> {record.displayTitle}
        </h1>
        <div class="actions">
          <PageLinks
            scope={scope}
            entity={entity}
            on="record"
            at={address(record)}
            without={view.refused}
          />
        </div>
      </div>
      {view.isForLookup && (
        <div
          data-added={record.id}
          data-path={encodeURI(entity.path)}
          data-title={record.displayTitle}
        />
      )}
      {archived !== undefined && (
        <p class="alert alert-warning">
          {scope.messages.archivedOn(scope.format.dateTime(archived))}
        </p>
      )}
      {children}
    </>
  );
  const { within } = view;
  if (!within?.isBeside) return page;
  return (
    <div class="beside">
      <Beside view={view} within={within} />
      <div>{page}</div>
    </div>
  );
}

/** What the address of a record has where it stands beside its list. */
export function besideQuery(query: string): URLSearchParams {
  return new URLSearchParams({ within: query, beside: "yes" });
}

/** Where a form that is opened on the page of a record leads back to. */
function backTo({ record, within }: Pick<View, "within"> & { record: unknown }): string {
  const here = address(record as Row);
  return within?.isBeside ? `${here}?${besideQuery(within.query)}` : here;
}

/** The list in which a record is, beside it: the records around it, each of which can be chosen. */
function Beside<Known extends Entity>({
  view: { scope, entity, record },
  within: { query, neighbours },
}: {
  view: View<Known>;
  within: NonNullable<View["within"]>;
}) {
  const { messages } = scope;
  const { one, headings } = scope.namesOf(entity);
  const { before, behind, first, last } = neighbours;
  const line = (link: Link, isHere = false) => (
    <li>
      <a href={`${address(link)}?${besideQuery(query)}`} aria-current={isHere ? "page" : undefined}>
        {link.displayTitle}
      </a>
    </li>
  );
  const far = (to: Link | undefined, text: string) =>
    to && <a href={`${address(to)}?${besideQuery(query)}`}>{text}</a>;
  return (
    <nav class="beside-list" aria-label={headings}>
      {first && before[0]?.id !== first.id && far(first, messages.stepTo.first)}
      <ul class="menu">
        {before.map((link) => line(link))}
        {line(record as unknown as Link, true)}
        {behind.map((link) => line(link))}
      </ul>
      {last && behind.at(-1)?.id !== last.id && far(last, messages.stepTo.last)}
      {scope.offers("/new", entity as unknown as Entity) && (
        <a class="btn btn-outline-primary btn-sm" href={`${encodeURI(entity.path)}/new`}>
          {messages.newRecord(one)}
        </a>
      )}
    </nav>
  );
}

/** The ways to the records around one in its list, and to that list beside it. */
function Steps({
  scope,
  label,
  at,
  within: { query, neighbours, isBeside },
}: {
  at: string;
  scope: Scope;
  label: string;
  within: NonNullable<View["within"]>;
}) {
  const { stepTo, among, layouts, besideNot } = scope.messages;
  const { previous, next } = neighbours;
  if (!previous && !next) return null;
  const kept = isBeside ? besideQuery(query) : new URLSearchParams({ within: query });
  const other = isBeside ? new URLSearchParams({ within: query }) : besideQuery(query);
  return (
    <nav class="steps" aria-label={among(label)}>
      {(["first", "previous", "next", "last"] as const).map((step) => {
        const to = neighbours[step];
        return to ? (
          <a href={`${address(to)}?${kept}`} title={to.displayTitle}>
            {stepTo[step]}
          </a>
        ) : (
          <span class="soft">{stepTo[step]}</span>
        );
      })}
      <a class="wide-only" href={`${at}?${other}`}>
        {isBeside ? besideNot : layouts.beside}
      </a>
    </nav>
  );
}

/** Values that belong together, under a heading. */
export function Facts({ title, children }: { title?: string; children?: Child }) {
  return (
    <section class="sheet">
      {title && <h2>{title}</h2>}
      <dl class="facts">{children}</dl>
    </section>
  );
}

/** The value of a field with its label; or what is put between the tags, in its place. */
export function Fact<Known extends Entity>({
  view,
  field: name,
  label,
  children,
}: {
  view: View<Known>;
  field: (keyof Known["fields"] & string) | "id" | "version" | "created_at" | "updated_at";
  label?: string;
  children?: Child;
}) {
  const { scope, entity } = view;
  const field = entity.fields[name];
  const record = view.record as Row;
  if (scope.isHidden(entity as unknown as Entity, name)) return null;
  const value = children ?? shownValue(scope, record, name, field);
  return (
    <div>
      <dt>{label ?? labelOfColumn(scope, entity, name)}</dt>
      <dd>
        {field?.kind === "long text" && value !== null ? <div class="lines">{value}</div> : value}
      </dd>
    </div>
  );
}

/** Records of another entity that belong to the one on the page. */
export function Related<Known extends Entity, Other extends Entity>({
  view,
  title,
  page,
  field: name,
  columns,
}: {
  view: View<Known>;
  /** What they are called, where the name of their entity doesn't say it. */
  title?: string;
  /** The first of them. */
  page: ListPage<Other>;
  /** The field in which they have the record. */
  field: keyof Other["fields"] & string;
  columns: Columns<Other>;
}) {
  const { scope } = view;
  const { messages, format } = scope;
  const record = view.record as Row;
  const { entity, total, pager } = page;
  const count = `${format.number(total.count)}${total.more ? "+" : ""}`;
  if (!scope.may("see", entity) || scope.isHidden(entity, name)) return null;
  const field = entity.fields[name];
  const single = field !== undefined && isReference(field) && field.single === true;
  const heading = title ?? relatedTitle(scope, view.entity, entity, name, single);
  const here = address(record);
  const back = backTo({ record, within: view.within });
  const add = new URLSearchParams({ [name]: String(record.id), _back: back });
  const full = single && total.count > 0;
  const { part = entity.table, request } = page;
  const { query = new URLSearchParams() } = view;
  const searched = request.search;
  return (
    <section class="related" id={part}>
      <div class="heading">
        <h2>
          {heading} {!single && <span class="tally">{count}</span>}
        </h2>
        {!full && scope.offers("/new", entity) && (
          <a class="btn btn-outline-primary btn-sm" href={`${entity.path}/new?${add}`}>
            {messages.newRecord(scope.namesOf(entity).one)}
          </a>
        )}
      </div>
      {!scope.embedded && (searched !== "" || pager.next || pager.previous) && (
        <RelatedSearch view={view} part={part} label={heading} searched={searched} />
      )}
      {total.count === 0 ? (
        <p class="soft">{searched === "" ? messages.noneYet : messages.noneFound}</p>
      ) : (
        <RecordTable
          label={heading}
          page={page}
          columns={columns}
          without={name}
          back={back}
          {...(!scope.embedded && { opensAt: { path: here, query } })}
        />
      )}
      {!scope.embedded && (pager.next || pager.previous) && (
        <div class="below">
          <Pager scope={scope} path={here} query={query} pager={pager} part={part} />
          <a
            href={`${entity.path}?${new URLSearchParams({ [filterParameter(name)]: String(record.id) })}`}
          >
            {messages.showAllOf(count)}
          </a>
        </div>
      )}
    </section>
  );
}

/** A box that looks into the related records of one kind, and leaves the rest of the page as it is. */
function RelatedSearch({
  view,
  part,
  label,
  searched,
}: {
  view: Pick<View, "scope" | "query"> & { record: unknown };
  part: string;
  label: string;
  searched: string;
}) {
  const { messages } = view.scope;
  const kept = [...(view.query ?? [])].filter(([name]) => !name.startsWith(`${part}.`));
  const id = `search-${part}`;
  return (
    <form class="search" method="get" action={`${address(view.record as Row)}#${part}`}>
      {kept.map(([name, value]) => (
        <input type="hidden" name={name} value={value} />
      ))}
      <label class="visually-hidden" for={id}>
        {messages.searchIn(label)}
      </label>
      <input
        class="form-control form-control-sm"
        type="search"
        id={id}
        name={`${part}.search`}
        value={searched}
        placeholder={messages.searchIn(label)}
      />
      <button class="btn btn-outline-secondary btn-sm" type="submit">
        {messages.search}
      </button>
    </form>
  );
}

/** What related records are called: by their field as well, where they could have the record in several. */
function relatedTitle(
  scope: Scope,
  target: Entity,
  entity: Entity,
  name: string,
  single: boolean,
): string {
  const { heading, headings } = scope.namesOf(entity);
  const kind = single ? heading : headings;
  const fields = scope.entities.referrersOf(target).filter((each) => each.entity === entity);
  const several = fields.length > 1 || entity === target;
  return several ? `${kind} (${labelOfColumn(scope, entity, name)})` : kind;
}
