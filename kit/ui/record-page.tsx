import type { Child } from "hono/jsx";
import type { Action } from "../access/action.ts";
import type { Scope } from "../access/scope.ts";
import { type Entity, isReference, type Row, type RowOf } from "../entity/entity.ts";
import { address } from "../entity/links.ts";
import { archivedAt } from "../store/archive.ts";
import { filterParameter } from "../store/list/filters.ts";
import type { ListPage } from "../store/list/list.ts";
import type { Columns } from "./columns.ts";
import { Trail } from "./layout.tsx";
import { PageLinks } from "./page-links.tsx";
import { RecordTable } from "./table.tsx";
import { labelOfColumn, shownValue } from "./value.tsx";

/** A record on its page, and the scope of who looks at it. */
export interface View<Known extends Entity = Entity> {
  scope: Scope;
  entity: Known;
  record: RowOf<Known>;
  /** What they may not do with it, of what they may do with other records. */
  refused?: readonly Action[];
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
  return (
    <>
      <Trail scope={scope} to={entity.path} label={headings} />
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
      {archived !== undefined && (
        <p class="alert alert-warning">
          {scope.messages.archivedOn(scope.format.dateTime(archived))}
        </p>
      )}
      {children}
    </>
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
  const back = address(record);
  const add = new URLSearchParams({ [name]: String(record.id), _back: back });
  const full = single && total.count > 0;
  return (
    <section class="related">
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
      {total.count === 0 ? (
        <p class="soft">{messages.noneYet}</p>
      ) : (
        <RecordTable label={heading} page={page} columns={columns} without={name} back={back} />
      )}
      {pager.next && (
        <p class="mt-2">
          <a
            href={`${entity.path}?${new URLSearchParams({ [filterParameter(name)]: String(record.id) })}`}
          >
            {messages.showAllOf(count)}
          </a>
        </p>
      )}
    </section>
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
