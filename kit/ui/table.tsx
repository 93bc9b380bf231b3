import type { Child } from "hono/jsx";
import type { Scope } from "../access/scope.ts";
import { type Entity, type Highlight, isComputed, type Row } from "../entity/entity.ts";
import { address, withQuery } from "../entity/links.ts";
import { typeOf } from "../fields/types.ts";
import { filterParameter } from "../store/list/filters.ts";
import { type Grouping, groupKey } from "../store/list/groups.ts";
import type { Below, ListPage } from "../store/list/list.ts";
import { sortName } from "../store/list/order.ts";
import { openParameter, openRows } from "../store/list/related.ts";
import { firstPage } from "../store/list/request.ts";
import type { Totals } from "../store/list/totals.ts";
import { type Columns, labelOfShown, type OwnColumn, shownColumns } from "./columns.ts";
import { HighlightNote } from "./highlight.tsx";
import { labelOfColumn, shownValue } from "./value.tsx";
import { WideTable } from "./wide-table.tsx";

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
  /** The widths that columns have at least, in pixels. */
  widths?: ReadonlyMap<unknown, number>;
  /** Where rows are opened to what belongs to them: the page, and what its address says. */
  opensAt?: { path: string; query: URLSearchParams };
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
  widths,
  opensAt,
}: TableProps<Known>) {
  const { scope, entity } = page;
  const known = entity as unknown as Entity;
  const shown = shownColumns(scope, entity, columns)
    .map((column) => columnOf(scope, entity, column as string | OwnColumn<Row>))
    .filter(({ name }) => name !== without || name === undefined);

  const leading = shown.find(({ leads }) => leads);
  const { messages } = scope;
  const edits = back !== undefined && scope.offers("/edit", entity);
  const { part, below } = page;
  const opening = opensAt && part !== undefined && below ? { ...opensAt, part, below } : undefined;
  const width = shown.length + [chosenFor, !leading, edits, opening].filter(Boolean).length;
  return (
    <WideTable label={label ?? scope.namesOf(entity).headings}>
      <table
        class={`table table-hover${sorts && page.request.query.get("rows") === "compact" ? " table-sm" : ""}`}
      >
        {widths && widths.size > 0 && (
          <colgroup>
            {chosenFor && <col />}
            {!leading && <col />}
            {shown.map(({ own }) => (
              <col width={widths.get(own)} />
            ))}
            {edits && <col />}
          </colgroup>
        )}
        <thead>
          <tr>
            {opening && (
              <th scope="col">
                <span class="visually-hidden">{messages.openRow.heading}</span>
              </th>
            )}
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
                  width={width}
                />
              )}
              <tr data-color={page.highlights?.get(row.id)?.color}>
                {opening && (
                  <td class="opens">
                    <OpenRow scope={scope} row={row} opening={opening} />
                  </td>
                )}
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
                    <HighlightNote scope={scope} highlight={page.highlights?.get(row.id)} />
                  </td>
                )}
                {shown.map((column) => (
                  <Cell
                    column={column}
                    row={row}
                    scope={scope}
                    leads={column === leading}
                    highlight={column === leading ? page.highlights?.get(row.id) : undefined}
                  />
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
              {opening?.below.get(row.id) && (
                <tr class="below-row">
                  <td colspan={width}>
                    {opening.below.get(row.id)?.map((each) => (
                      <BelowRow row={row} below={each} opensAt={opening} />
                    ))}
                  </td>
                </tr>
              )}
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

/** A page on which rows of one of its lists are opened. */
interface Opening {
  path: string;
  query: URLSearchParams;
  part: string;
  below: ReadonlyMap<number, readonly Below[]>;
}

/** Opens a row to what belongs to it, or closes it. */
function OpenRow({ scope, row, opening }: { scope: Scope; row: Row; opening: Opening }) {
  const { path, query, part, below } = opening;
  const open = openRows({ part, whole: query });
  const isOpen = below.has(row.id);
  const now = isOpen ? open.filter((id) => id !== row.id) : [...open, row.id];
  const href = withQuery(path, query, { [`${part}.${openParameter}`]: now.join(".") || undefined });
  const { openRow } = scope.messages;
  return (
    <a href={`${href}#${part}`} data-opens aria-expanded={isOpen ? "true" : "false"}>
      <span aria-hidden="true">{isOpen ? "▾" : "▸"}</span>
      <span class="visually-hidden">{openRow.of(row.displayTitle)}</span>
    </a>
  );
}

/** What belongs to a row, below it. */
function BelowRow({
  row,
  below: { page, field },
  opensAt,
}: {
  row: Row;
  below: Below;
  opensAt: Pick<Opening, "path" | "query">;
}) {
  const { scope, entity, total } = page;
  const { headings, one } = scope.namesOf(entity);
  const back = withQuery(opensAt.path, opensAt.query, {});
  const filter = new URLSearchParams({ [filterParameter(field)]: String(row.id) });
  const add = new URLSearchParams({ [field]: String(row.id), _back: back });
  const count = `${scope.format.number(total.count)}${total.more ? "+" : ""}`;
  return (
    <section id={page.part} aria-label={`${row.displayTitle}: ${headings}`}>
      <h3>
        {headings} <span class="tally">{count}</span>{" "}
        {scope.offers("/new", entity) && (
          <a class="small" href={`${encodeURI(entity.path)}/new?${add}`}>
            {scope.messages.newRecord(one)}
          </a>
        )}
      </h3>
      {page.rows.length > 0 && (
        <RecordTable
          page={page}
          columns={scope.entities.columnsOf(entity) as Columns<Entity>}
          label={`${row.displayTitle}: ${headings}`}
          without={field}
          back={back}
          opensAt={opensAt}
        />
      )}
      {total.count > page.rows.length && (
        <a class="small" href={`${encodeURI(entity.path)}?${filter}`}>
          {scope.messages.showAllOf(count)}
        </a>
      )}
    </section>
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
  /** As the page was given it. */
  own: unknown;
  name: string | undefined;
  label: string;
  /** What the address of a list sorts by, with a label for each; none where it can't. */
  sorts: readonly { by: string; label: string }[];
  numeric: boolean;
  leads: boolean;
  cell(row: Row, scope: Scope): Child;
}

function columnOf(scope: Scope, entity: Entity, column: string | OwnColumn<Row>): Shown {
  const own = typeof column === "string" ? undefined : column;
  const name = typeof column === "string" ? column : column.field;
  const field = name === undefined ? undefined : entity.fields[name];
  const together = own?.fields?.filter((each) => !scope.isHidden(entity, each));
  const label = labelOfShown(scope, entity, column);
  const sorting = (column: string, label: string) => {
    const by = sortName(entity, column);
    return by === undefined ? [] : [{ by, label }];
  };
  return {
    own: column,
    name,
    label,
    sorts: together
      ? together.flatMap((each) => sorting(each, labelOfColumn(scope, entity, each)))
      : name === undefined
        ? []
        : sorting(name, label),
    numeric: field ? typeOf(field).numeric : false,
    leads: !own && (!field || (typeOf(field).leads && !isComputed(field))),
    cell: own?.cell ?? ((row, scope) => shownValue(scope, row, name ?? "", field)),
  };
}

function Heading({ column, page, sorts }: { column: Shown; page: ListPage; sorts: boolean }) {
  const kind = column.numeric ? "text-end" : undefined;
  if (!sorts || column.sorts.length === 0) {
    return (
      <th scope="col" class={kind}>
        {column.label}
      </th>
    );
  }
  const now = column.sorts.find(({ by }) => page.sort === by || page.sort === `-${by}`);
  const isDescending = page.sort.startsWith("-");
  return (
    <th
      scope="col"
      class={kind}
      aria-sort={now ? (isDescending ? "descending" : "ascending") : undefined}
    >
      {column.sorts.map(({ by, label }, at) => {
        const isNow = now?.by === by;
        const next = withQuery(page.entity.path, page.request.query, {
          sort: isNow && !isDescending ? `-${by}` : by,
          ...firstPage,
        });
        return (
          <>
            {at > 0 && " · "}
            <a class="sort" href={next}>
              {label}
              <span aria-hidden="true">{isNow ? (isDescending ? " ↓" : " ↑") : ""}</span>
            </a>
          </>
        );
      })}
    </th>
  );
}

function Cell({
  column,
  row,
  scope,
  leads,
  highlight,
}: {
  column: Shown;
  row: Row;
  scope: Scope;
  leads: boolean;
  highlight: Highlight | undefined;
}) {
  const value = column.cell(row, scope);
  const blank = value === null || value === undefined || value === "";
  return (
    <td class={column.numeric ? "text-end" : undefined}>
      {leads ? <a href={address(row)}>{blank ? row.displayTitle : value}</a> : value}
      {highlight && <HighlightNote scope={scope} highlight={highlight} />}
    </td>
  );
}
