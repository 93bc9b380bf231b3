import type { Context } from "hono";
import { keepOwnLook } from "../../access/kept-views.ts";
import type { Scope } from "../../access/scope.ts";
import { automaticColumns, type Entity, type Row } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { sentForm } from "../../http/sent-form.ts";
import { isGroupable } from "../../store/list/groups.ts";
import { orderKeys, sortName } from "../../store/list/order.ts";
import { firstPage } from "../../store/list/request.ts";
import { type Columns, labelOfShown, type OwnColumn, shownColumns } from "../../ui/columns.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { labelOfColumn } from "../../ui/value.tsx";
import { WideTable } from "../../ui/wide-table.tsx";

/** How many columns a list is ordered by on this page. */
const keys = 3;

type Column = string | OwnColumn<Row>;

/** What an address calls a column: the name of its field, or `own` and its place among the columns of the list. */
function nameOf(column: Column, at: number): string {
  return typeof column === "string" ? column : `own.${at + 1}`;
}

/** The least and the most of a column's width, in pixels. */
const [narrowest, widest] = [40, 900];

/** A column as an address asks for it: `status`, or `status:200` with the width that it has at least. */
function readAsked(asked: string): { name: string; width: number | undefined } {
  const [, name = asked, digits = ""] = /^(.*):(\d{1,3})$/.exec(asked) ?? [];
  const width = digits === "" ? undefined : Math.min(widest, Math.max(narrowest, Number(digits)));
  return { name, width };
}

/** The widths of the columns of a list that an address gives one. */
export function chosenWidths<Known extends Entity>(
  scope: Scope,
  entity: Known,
  columns: Columns<Known>,
  query: URLSearchParams,
): ReadonlyMap<unknown, number> {
  const offered = new Map(
    offeredColumns(scope, entity as unknown as Entity, columns as readonly Column[]),
  );
  const asked = (query.get("columns") ?? "").split(",", 200).map(readAsked);
  return new Map(
    asked.flatMap(({ name, width }) =>
      width === undefined || !offered.has(name) ? [] : [[offered.get(name), width] as const],
    ),
  );
}

/** The columns that an address asks for, in its order (`columns=code,status`); those of the list itself where it names none. */
export function chosenColumns<Known extends Entity>(
  scope: Scope,
  entity: Known,
  columns: Columns<Known>,
  query: URLSearchParams,
): Columns<Known> {
  const asked = (query.get("columns") ?? "").split(",", 200).map((each) => readAsked(each).name);
  const offered = new Map(
    offeredColumns(scope, entity as unknown as Entity, columns as readonly Column[]),
  );
  const chosen = [...new Set(asked)].flatMap((name) => offered.get(name) ?? []);
  return chosen.length > 0 ? (chosen as unknown as Columns<Known>) : columns;
}

/** The columns that a list can show, by their names in an address: its own, then the other fields. */
function offeredColumns(
  scope: Scope,
  entity: Entity,
  columns: readonly Column[],
): [string, Column][] {
  const own = columns.map((column, at): [string, Column] => [nameOf(column, at), column]);
  const shown = new Set(own.map(([name]) => name));
  const others = [...Object.keys(entity.fields), ...automaticColumns].filter(
    (name) => !shown.has(name),
  );
  return [...own, ...others.map((name): [string, Column] => [name, name])].filter(
    ([, column]) => shownColumns(scope, entity, [column] as never).length > 0,
  );
}

/** A page on which somebody chooses the columns of a list, their places, and the order of the rows. */
export function showColumns<Known extends Entity>(
  c: Context,
  scope: Scope,
  known: Known,
  columns: Columns<Known>,
) {
  const entity = known as unknown as Entity;
  const { searchParams: query } = new URL(c.req.url);
  const path = encodeURI(entity.path);
  const offered = offeredColumns(scope, entity, columns as readonly Column[]);
  const { messages } = scope;
  const { headings, many } = scope.namesOf(entity);
  const chosen = chosenColumns(scope, known, columns, query) as readonly Column[];
  const widths = chosenWidths(scope, known, columns, query);
  const placeOf = (column: Column) => chosen.indexOf(column) + 1;
  const order = orderKeys(scope, entity, query.get("sort") ?? "");
  const sortable = offered.flatMap(([, column]) => {
    const name = typeof column === "string" ? column : column.field;
    const sort = name === undefined ? undefined : sortName(entity, name);
    return sort === undefined ? [] : [[sort, labelOfColumn(scope, entity, name ?? "")] as const];
  });
  const kept = [...query].filter(
    ([name]) => !["columns", "sort", "group", "rows", ...Object.keys(firstPage)].includes(name),
  );
  const title = messages.columnsOf(many);
  const page = (
    <>
      <Trail scope={scope} to={withQuery(path, query, {})} label={headings} />
      <h1>{title}</h1>
      <form method="post" class="sheet narrow-form">
        {kept.map(([name, value]) => (
          <input type="hidden" name={name} value={value} />
        ))}
        <h2>{messages.columns}</h2>
        <p class="form-text">{messages.placesHelp}</p>
        <WideTable label={messages.columns}>
          <table class="table">
            <thead>
              <tr>
                <th scope="col">{messages.columns}</th>
                <th scope="col">{messages.place}</th>
                <th scope="col">{messages.width}</th>
              </tr>
            </thead>
            <tbody>
              {offered.map(([name, column]) => {
                const label = labelOfShown(scope, entity, column);
                return (
                  <tr>
                    <th scope="row">
                      <label for={`place-${name}`}>{label}</label>
                    </th>
                    <td>
                      <input
                        class="form-control form-control-sm place"
                        type="number"
                        min="1"
                        max="99"
                        id={`place-${name}`}
                        name={`_place.${name}`}
                        value={placeOf(column) || ""}
                      />
                    </td>
                    <td>
                      <input
                        class="form-control form-control-sm place"
                        type="number"
                        min={narrowest}
                        max={widest}
                        name={`_width.${name}`}
                        value={widths.get(column) ?? ""}
                        aria-label={messages.widthOf(label)}
                      />
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </WideTable>
        <h2 class="mt-3">{messages.rowOrder}</h2>
        <div class="mb-3">
          <label class="form-label" for="group">
            {messages.groupBy}
          </label>
          <select class="form-select form-select-sm" id="group" name="group">
            <option value="">{messages.none}</option>
            {Object.keys(entity.fields)
              .filter((name) => isGroupable(scope, entity, name))
              .map((name) => (
                <option value={name} selected={query.get("group") === name}>
                  {labelOfColumn(scope, entity, name)}
                </option>
              ))}
          </select>
        </div>
        <div class="form-check mb-3">
          <input
            class="form-check-input"
            type="checkbox"
            id="rows"
            name="rows"
            value="compact"
            checked={query.get("rows") === "compact"}
          />
          <label class="form-check-label" for="rows">
            {messages.compactRows}
          </label>
        </div>
        {Array.from({ length: keys }, (_, at) => (
          <div class="range">
            <select
              class="form-select form-select-sm"
              name="_by"
              aria-label={messages.orderBy(at + 1)}
            >
              <option value="" />
              {sortable.map(([name, label]) => (
                <option value={name} selected={order[at]?.replace(/^-/, "") === name}>
                  {label}
                </option>
              ))}
            </select>
            <select
              class="form-select form-select-sm"
              name="_way"
              aria-label={messages.orderWay(at + 1)}
            >
              <option value="">{messages.ascending}</option>
              <option value="-" selected={order[at]?.startsWith("-")}>
                {messages.descending}
              </option>
            </select>
          </div>
        ))}
        <div class="buttons mt-3">
          <button class="btn btn-primary" type="submit">
            {messages.apply}
          </button>
          <button class="btn btn-outline-secondary" type="submit" name="_reset" value="yes">
            {messages.asAtFirst}
          </button>
        </div>
      </form>
    </>
  );
  return showPage(c, scope, page, { title });
}

/** Leads to the list as it was chosen on the page, which the person keeps. */
export async function columnsSent<Known extends Entity>(
  c: Context,
  scope: Scope,
  known: Known,
  columns: Columns<Known>,
) {
  const entity = known as unknown as Entity;
  const data = await sentForm(c);
  const sent = new URLSearchParams(
    [...data].filter((entry): entry is [string, string] => typeof entry[1] === "string"),
  );
  const offered = offeredColumns(scope, entity, columns as readonly Column[]);
  const isReset = sent.get("_reset") === "yes";
  const query = isReset
    ? new URLSearchParams([...sent].filter(([name]) => !/^_|^(group|rows)$/.test(name)))
    : chosenQuery(sent, offered);
  await keepOwnLook(scope, entity, isReset ? undefined : query);
  return c.redirect(withQuery(encodeURI(entity.path), query, {}), 303);
}

/** The query of the list for what was chosen on the page. */
function chosenQuery(
  query: URLSearchParams,
  offered: readonly (readonly [string, Column])[],
): URLSearchParams {
  const next = new URLSearchParams([...query].filter(([name, value]) => !/^_/.test(name) && value));
  const placed = offered.flatMap(([name], at) => {
    const place = query.get(`_place.${name}`) ?? "";
    return /^\d{1,2}$/.test(place) ? [{ name, place: Number(place), at }] : [];
  });
  const names = placed
    .sort((one, other) => one.place - other.place || one.at - other.at)
    .map(({ name }) => {
      const width = query.get(`_width.${name}`) ?? "";
      return /^\d{1,3}$/.test(width) ? `${name}:${width}` : name;
    });
  if (names.length > 0) next.set("columns", names.join(","));
  const ways = query.getAll("_way");
  const order = query
    .getAll("_by")
    .flatMap((name, at) => (name ? [`${ways[at] ?? ""}${name}`] : []));
  if (order.length > 0) next.set("sort", order.join(","));
  return next;
}
