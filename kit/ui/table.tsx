import type { Child } from "hono/jsx";
import type { Scope } from "../access/scope.ts";
import { type Entity, isComputed, type Row, type RowOf } from "../entity/entity.ts";
import { address, withQuery } from "../entity/links.ts";
import { typeOf } from "../fields/types.ts";
import { type Grouping, groupKey } from "../store/list/groups.ts";
import type { ListPage } from "../store/list/list.ts";
import { sortName } from "../store/list/order.ts";
import type { Totals } from "../store/list/totals.ts";
import { labelOfColumn, shownValue } from "./value.tsx";
import { WideTable } from "./wide-table.tsx";

/** A column that a page makes by itself: what its heading says, and what is in a cell. */
export interface OwnColumn<Record> {
  /** The field that it is about, if it is; the heading sorts by it. */
  field?: string;
  label?: string;
  cell(row: Record, scope: Scope): Child;
}

/** The columns of a table: fields by their names, and columns of one's own. */
export type Columns<Known extends Entity> = readonly (
  | (keyof Known["fields"] & string)
  | "id"
  | "version"
  | "created_at"
  | "updated_at"
  | OwnColumn<RowOf<Known>>
)[];

/** What a table of records gets. */
interface TableProps<Known extends Entity> {
  page: ListPage<Known>;
  columns: Columns<Known>;
  /** What the table is called; as its entity, without one. */
  label?: string;
  /** Whether the headings sort: in a list of its own. */
  sorts?: boolean;
  /** A field whose column is left out, because all rows have the same in it. */
  without?: string;
  /** The page to come back to after an edit; each row gets a link for it. */
  back?: string;
  /** The form for which rows are chosen; each row gets a box for it. */
  chosenFor?: string | undefined;
}

/** Records as a table. The first column that can be is the link to their pages. */
export function RecordTable<Known extends Entity>({
  page,
  columns,
  label,
  sorts = false,
  without,
  back,
  chosenFor,
}: TableProps<Known>) {
  const { scope, entity } = page;
  const known = entity as unknown as Entity;
  const shown = columns
    .map((column) => columnOf(scope, entity, column as string | OwnColumn<Row>))
    .filter(({ name }) => name !== without || name === undefined)
    .filter(({ name }) => name === undefined || !scope.isHidden(known, name));
  const leading = shown.find(({ leads }) => leads);
  const { messages } = scope;
  const edits = back !== undefined && scope.offers("/edit", entity);
  return (
    <WideTable label={label ?? scope.namesOf(entity).headings}>
      <table class="table table-hover">
        <thead>
          <tr>
            {chosenFor && (
              <th scope="col">
                <span class="visually-hidden">{messages.tick}</span>
              </th>
            )}
            {!leading && <th scope="col">{scope.namesOf(entity).heading}</th>}
            {shown.map((column) => (
              <Heading column={column} page={page as unknown as ListPage} sorts={sorts} />
            ))}
            {edits && (
              <th scope="col">
                <span class="visually-hidden">{messages.edit}</span>
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {(page.rows as unknown as Row[]).map((row, at, rows) => (
            <>
              {page.grouping && isFirst(known, page.grouping, row, rows[at - 1]) && (
                <GroupHeading
                  scope={scope}
                  entity={known}
                  grouping={page.grouping}
                  row={row}
                  width={shown.length + [chosenFor, !leading, edits].filter(Boolean).length}
                />
              )}
              <tr>
                {chosenFor && (
                  <td class="chosen">
                    <input
                      class="form-check-input"
                      type="checkbox"
                      form={chosenFor}
                      name="id"
                      value={row.id}
                      aria-label={messages.tickRecord(row.displayTitle)}
                    />
                  </td>
                )}
                {!leading && (
                  <td>
                    <a href={address(row)}>{row.displayTitle}</a>
                  </td>
                )}
                {shown.map((column) => (
                  <Cell column={column} row={row} scope={scope} leads={column === leading} />
                ))}
                {edits && (
                  <td class="text-end">
                    {page.changeable?.has(row.id) && (
                      <a
                        href={`${address(row)}/edit?${new URLSearchParams({ _back: back })}`}
                        aria-label={messages.editRecord(row.displayTitle)}
                      >
                        {messages.edit}
                      </a>
                    )}
                  </td>
                )}
              </tr>
            </>
          ))}
        </tbody>
        {page.totals && page.totals.size > 0 && (
          <Foot
            scope={scope}
            entity={known}
            shown={shown}
            totals={page.totals}
            leads={leading !== undefined}
            chooses={chosenFor !== undefined}
            edits={edits}
          />
        )}
      </table>
    </WideTable>
  );
}

function isFirst(entity: Entity, { field }: Grouping, row: Row, before: Row | undefined): boolean {
  return !before || groupKey(entity, before, field) !== groupKey(entity, row, field);
}

/** The heading of a group: what its rows have, how many there are on all pages, and their sums. */
function GroupHeading({
  scope,
  entity,
  grouping: { field: name, groups },
  row,
  width,
}: {
  scope: Scope;
  entity: Entity;
  grouping: Grouping;
  row: Row;
  width: number;
}) {
  const { messages, format } = scope;
  const field = entity.fields[name];
  const group = groups.get(groupKey(entity, row, name));
  const { one, many } = scope.namesOf(entity);
  const isBlank = groupKey(entity, row, name) === "";
  return (
    <tr class="group">
      <th scope="rowgroup" colspan={width}>
        {isBlank ? messages.isBlank : shownValue(scope, row, name, field)}
        <span class="soft small">
          {group && ` · ${format.count(group.count, one, many)}`}
          {[...(group?.sums ?? [])].map(([column, sum]) => {
            const added = entity.fields[column];
            return (
              <>
                {" · "}
                {labelOfColumn(scope, entity, column)}{" "}
                {added && typeOf(added).show(sum, added, scope)}
              </>
            );
          })}
        </span>
      </th>
    </tr>
  );
}

/** The sums, averages, smallest and largest values of columns of numbers, of all rows on all pages. */
function Foot({
  scope,
  entity,
  shown,
  totals,
  leads,
  chooses,
  edits,
}: {
  scope: Scope;
  entity: Entity;
  shown: readonly Shown[];
  totals: ReadonlyMap<string, Totals>;
  leads: boolean;
  chooses: boolean;
  edits: boolean;
}) {
  const { messages } = scope;
  const value = (name: string | undefined, kind: keyof Totals) => {
    const number = totals.get(name ?? "")?.[kind];
    const field = entity.fields[name ?? ""];
    return number === undefined || !field ? null : typeOf(field).show(number, field, scope);
  };
  return (
    <tfoot>
      {(["sum", "average", "smallest", "largest"] as const).map((kind) => (
        <tr>
          {chooses && <td />}
          {!leads && <th scope="row">{messages.totalKinds[kind]}</th>}
          {shown.map(({ name, numeric }, at) =>
            leads && at === 0 && !totals.has(name ?? "") ? (
              <th scope="row">{messages.totalKinds[kind]}</th>
            ) : (
              <td class={numeric ? "text-end" : undefined} title={messages.totalKinds[kind]}>
                {value(name, kind)}
              </td>
            ),
          )}
          {edits && <td />}
        </tr>
      ))}
    </tfoot>
  );
}

/** A column, ready to be shown. */
interface Shown {
  name: string | undefined;
  label: string;
  /** What the address of a list sorts by; undefined where it can't. */
  sort: string | undefined;
  numeric: boolean;
  leads: boolean;
  cell(row: Row, scope: Scope): Child;
}

function columnOf(scope: Scope, entity: Entity, column: string | OwnColumn<Row>): Shown {
  const own = typeof column === "string" ? undefined : column;
  const name = typeof column === "string" ? column : column.field;
  const field = name === undefined ? undefined : entity.fields[name];
  return {
    name,
    label: own?.label ?? labelOfColumn(scope, entity, name ?? ""),
    sort: name === undefined ? undefined : sortName(entity, name),
    numeric: field ? typeOf(field).numeric : false,
    leads: !own && (!field || (typeOf(field).leads && !isComputed(field))),
    cell: own?.cell ?? ((row, scope) => shownValue(scope, row, name ?? "", field)),
  };
}

function Heading({ column, page, sorts }: { column: Shown; page: ListPage; sorts: boolean }) {
  const kind = column.numeric ? "text-end" : undefined;
  const { sort, label } = column;
  if (!sorts || sort === undefined) {
    return (
      <th scope="col" class={kind}>
        {label}
      </th>
    );
  }
  const ascending = page.sort === sort;
  const descending = page.sort === `-${sort}`;
  const next = withQuery(page.entity.path, page.request.query, {
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

function Cell({
  column,
  row,
  scope,
  leads,
}: {
  column: Shown;
  row: Row;
  scope: Scope;
  leads: boolean;
}) {
  const value = column.cell(row, scope);
  const blank = value === null || value === undefined || value === "";
  return (
    <td class={column.numeric ? "text-end" : undefined}>
      {leads ? <a href={address(row)}>{blank ? row.displayTitle : value}</a> : value}
    </td>
  );
}
