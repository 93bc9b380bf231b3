import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import { type Entity, isReferences } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import type { Spread } from "../../store/list/counted.ts";
import { type Facet, facetsOf } from "../../store/list/facets.ts";
import { filterParameter } from "../../store/list/filters.ts";
import { firstPage, listRequest } from "../../store/list/request.ts";
import { spans } from "../../store/list/spans.ts";
import { showPage, Trail } from "../../ui/layout.tsx";
import { Ring, type Slice } from "../../ui/ring.tsx";
import { labelOfColumn } from "../../ui/value.tsx";
import { filterValue } from "./filter-words.ts";

/** The address of the panel of a list. */
export function panelPath({ path }: Entity): string {
  return `${path}/filter`;
}

/** A page with what a list can be filtered by. A script opens it beside the list instead. */
export async function showPanel(c: Context, scope: Scope, entity: Entity) {
  const { searchParams: query } = new URL(c.req.url);
  const facets = await facetsOf(scope, entity, listRequest(query));
  const { headings, many } = scope.namesOf(entity);
  const title = scope.messages.filterOf(many);
  const page = (
    <>
      <Trail scope={scope} to={`${encodeURI(entity.path)}?${query}`} label={headings} />
      <h1>{title}</h1>
      <Panel scope={scope} entity={entity} facets={facets} query={query} />
    </>
  );
  return showPage(c, scope, page, { title });
}

function Panel({
  scope,
  entity,
  facets,
  query,
}: {
  scope: Scope;
  entity: Entity;
  facets: readonly Facet[];
  query: URLSearchParams;
}) {
  const { messages } = scope;
  const kept = ["search", "sort", "size", "archived"].filter((name) => query.get(name));
  const most = Math.max(1, ...facets.flatMap(({ values }) => values.map(({ count }) => count)));
  return (
    <form id="filter-panel" class="filter-panel" method="get" action={encodeURI(entity.path)}>
      {kept.map((name) => (
        <input type="hidden" name={name} value={query.get(name) ?? ""} />
      ))}
      {facets.map((facet) => (
        <fieldset class="facet">
          <legend>{labelOfColumn(scope, entity, facet.name)}</legend>
          {isByValues(facet.field) ? (
            <Values scope={scope} facet={facet} most={most} />
          ) : (
            typeOf(facet.field).filter !== "presence" && (
              <Range scope={scope} entity={entity} facet={facet} query={query} />
            )
          )}
          <Blank scope={scope} facet={facet} most={most} />
          {typeOf(facet.field).filter === "choices" && (
            <Parts scope={scope} entity={entity} facet={facet} query={query} />
          )}
        </fieldset>
      ))}
      {facets.some(({ each }) => each > 1) && (
        <p class="form-text">
          {messages.sampled}{" "}
          <a href={withQuery(panelPath(entity), query, { count: "all" })} data-recount>
            {messages.countAll}
          </a>
        </p>
      )}
      <div class="buttons">
        <button class="btn btn-primary" type="submit">
          {messages.apply}
        </button>
        <a class="btn btn-outline-secondary" href={encodeURI(entity.path)}>
          {messages.showAll}
        </a>
      </div>
    </form>
  );
}

/** Whether it is filtered by some of its values, which are listed. */
function isByValues(field: Field): boolean {
  return ["choices", "tags"].includes(typeOf(field).filter);
}

function Values({ scope, facet, most }: { scope: Scope; facet: Facet; most: number }) {
  const { name, field, filter, values, more, each } = facet;
  const chosen = new Set(filter?.parts.map(({ value }) => value));
  const parameter = filterParameter(name);
  return (
    <>
      {values.map(({ value, title, count }) => (
        <Choice
          id={`filter-${name}-${value}`}
          name={parameter}
          value={value}
          label={filterValue(scope, field, value, title)}
          count={countText(scope, count, each)}
          share={count / most}
          checked={chosen.has(value)}
        />
      ))}
      {more && <p class="form-text">{scope.messages.mostFrequent}</p>}
    </>
  );
}

/** The same values as parts of a whole, each of which leads to its rows. */
function Parts({
  scope,
  entity,
  facet: { name, field, values, more, blank = 0 },
  query,
}: {
  scope: Scope;
  entity: Entity;
  facet: Facet;
  query: URLSearchParams;
}) {
  const { messages } = scope;
  // Of some values only, or where a record has several, they are no parts of a whole.
  if (more || isReferences(field)) return null;
  const slice = (label: string, count: number, end: string, value: string): Slice => ({
    label,
    count,
    href: addressWith(entity, name, query, { [end]: value }),
  });
  const slices = [
    ...values.map(({ value, title, count }) =>
      slice(filterValue(scope, field, value, title), count, "", value),
    ),
    slice(messages.isBlank, blank, ".blank", "yes"),
  ];
  if (slices.filter(({ count }) => count > 0).length < 2) return null;
  return (
    <details class="parts">
      <summary>{messages.asRing}</summary>
      <Ring scope={scope} slices={slices} />
    </details>
  );
}

/** The address of a list with another filter of one field. */
function addressWith(
  { path }: Entity,
  field: string,
  query: URLSearchParams,
  changes: Record<string, string>,
): string {
  const next = new URLSearchParams(query);
  const parameter = filterParameter(field);
  for (const old of ["", ".from", ".to", ".blank"]) next.delete(parameter + old);
  for (const name of Object.keys(firstPage)) next.delete(name);
  for (const [end, value] of Object.entries(changes)) next.set(parameter + end, value);
  return `${encodeURI(path)}?${next}`;
}

function Blank({ scope, facet, most }: { scope: Scope; facet: Facet; most: number }) {
  const { name, blank, filter, each } = facet;
  const checked = filter?.parts.some(({ means }) => means === "blank") ?? false;
  if (blank === undefined || (blank === 0 && !checked)) return null;
  return (
    <Choice
      id={`filter-${name}-blank`}
      name={`${filterParameter(name)}.blank`}
      value="yes"
      label={scope.messages.isBlank}
      count={countText(scope, blank, each)}
      share={blank / most}
      checked={checked}
    />
  );
}

/** How many rows, or about how many: few of a sample tell only that there aren't many. */
function countText({ format, messages }: Scope, count: number, each: number): string {
  if (each === 1) return format.number(count);
  const fewest = 3;
  // Up to two of a sample come from fewer rows than this nineteen times of twenty.
  if (count < fewest * each) return messages.fewerThan(format.number(rounded(7 * each, 1)));
  return messages.roughly(format.number(rounded(count, 2)));
}

function rounded(count: number, digits: number): number {
  return Number(count.toPrecision(digits));
}

/** A box with the number of rows behind it, also as a bar. */
function Choice({
  id,
  name,
  value,
  label,
  count,
  share,
  checked,
}: {
  id: string;
  name: string;
  value: string;
  label: string;
  count: string;
  share: number;
  checked: boolean;
}) {
  return (
    <div class="form-check facet-value">
      <input
        class="form-check-input"
        type="checkbox"
        id={id}
        name={name}
        value={value}
        checked={checked}
      />
      <label class="form-check-label" for={id}>
        {label} <span class="count">{count}</span>
      </label>
      <svg class="share" aria-hidden="true">
        <rect width={`${Math.round(Math.min(1, share) * 1000) / 10}%`} height="100%" />
      </svg>
    </div>
  );
}

function Range({
  scope,
  entity,
  facet,
  query,
}: {
  scope: Scope;
  entity: Entity;
  facet: Facet;
  query: URLSearchParams;
}) {
  const { name, field, filter, spread } = facet;
  const { messages } = scope;
  const parameter = filterParameter(name);
  const isDays = typeOf(field).filter !== "numbers";
  const given = (means: string) => filter?.parts.find((part) => part.means === means)?.value ?? "";
  const address = (changes: Record<string, string>) => addressWith(entity, name, query, changes);
  return (
    <>
      {spread && <Histogram scope={scope} facet={facet} spread={spread} address={address} />}
      <div class="range">
        {(["from", "to"] as const).map((end) => (
          <label>
            <span>{messages[end]}</span>
            <input
              class="form-control form-control-sm"
              type={isDays ? "date" : "number"}
              step={isDays ? undefined : "any"}
              name={`${parameter}.${end}`}
              value={given(end)}
            />
          </label>
        ))}
      </div>
      {isDays && (
        <p class="spans">
          {spans.map((span) => (
            <a
              href={address({ "": span })}
              aria-current={given("span") === span ? "true" : undefined}
            >
              {messages.spans[span]}
            </a>
          ))}
        </p>
      )}
    </>
  );
}

/** How the rows spread over a range: each bar leads to its rows. */
function Histogram({
  scope,
  facet: { field, each },
  spread: { parts },
  address,
}: {
  scope: Scope;
  facet: Facet;
  spread: Spread;
  address(changes: Record<string, string>): string;
}) {
  const highest = Math.max(1, ...parts.map(({ count }) => count));
  const width = 100 / parts.length;
  return (
    <svg class="histogram" viewBox="0 0 100 30" preserveAspectRatio="none">
      <title>{scope.translated(field.label)}</title>
      {parts.map(({ from, to, count }, at) => {
        const height = count === 0 ? 0 : Math.max(1, (count / highest) * 30);
        const words = scope.messages.partOf(
          filterValue(scope, field, from, undefined),
          filterValue(scope, field, to, undefined),
          countText(scope, count, each),
        );
        if (count === 0) return null;
        return (
          <a href={address({ ".from": from, ".to": to })} aria-label={words}>
            <title>{words}</title>
            <rect
              x={String(at * width)}
              y={String(30 - height)}
              width={String(width * 0.9)}
              height={String(height)}
            />
          </a>
        );
      })}
    </svg>
  );
}
