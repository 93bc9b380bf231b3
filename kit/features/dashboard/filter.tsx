import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference } from "../../entity/entity.ts";
import { printName } from "../../formula/print.ts";
import { formulaName } from "../../store/formula-facts.ts";
import { alongParameter } from "../../store/list/along.ts";
import { filterParameter } from "../../store/list/filters.ts";
import { isSpan, type Span } from "../../store/list/spans.ts";
import { linksOf } from "../../store/options.ts";

/** By what all tiles of a start page are filtered. */
export interface TileFilter {
  period: Span | undefined;
  /** The records by which it can be filtered. */
  target: Entity | undefined;
  /** The number of the one that is chosen. */
  id: number | undefined;
}

/** The periods that a start page offers. */
const offered = [
  "this-month",
  "last-month",
  "this-year",
  "last-year",
  "last-12-months",
] as const satisfies Span[];

/** The most references that lead from a record to the one by which tiles are filtered. */
const mostSteps = 3;

/** Reads the filter out of the address of the start page: `/?period=this-year&record=3`. */
export function tileFilter(
  scope: Scope,
  target: string | undefined,
  query: URLSearchParams,
): TileFilter {
  const period = query.get("period") ?? "";
  const entity = target === undefined ? undefined : scope.entities.ofTable(target);
  const isSeen = entity && scope.may("see", entity);
  const record = query.get("record") ?? "";
  return {
    period: isSpan(period) ? period : undefined,
    target: isSeen ? entity : undefined,
    id: isSeen && /^\d{1,15}$/.test(record) ? Number(record) : undefined,
  };
}

/** The query of a tile with the filter of the page, and whether all of that could be said of it. */
export function filteredQuery(
  scope: Scope,
  entity: Entity,
  given: string,
  { period, target, id }: TileFilter,
): { query: URLSearchParams; isWhole: boolean } {
  const query = new URLSearchParams(given);
  let isWhole = true;
  if (period) {
    const day = entity.calendar?.from;
    // What is no matter of days, such as how many hives are weak, stays as it is.
    if (day !== undefined && !scope.isHidden(entity, day) && looksAt(entity, day, query)) {
      const parameter = filterParameter(day);
      for (const end of ["from", "to", "blank"]) query.delete(`${parameter}.${end}`);
      query.set(parameter, period);
    } else isWhole = false;
  }
  if (target && id !== undefined) {
    const path = pathTo(scope, entity, target);
    if (path) {
      // The record itself, or one that it leads to.
      if (path.length === 0) query.set("only", andOnly(query.get("only"), `id = ${id}`));
      else query.set(alongParameter(path.map(printName).join(".")), String(id));
    } else isWhole = false;
  }
  return { query, isWhole };
}

/** Whether a tile filters by a day, groups by it or begins with the latest. */
function looksAt(entity: Entity, day: string, query: URLSearchParams): boolean {
  const field = entity.fields[day];
  const name = field ? formulaName(day, field) : day;
  const [sort = ""] = (query.get("sort") ?? "").split(",");
  const groups = [...query.getAll("by"), query.get("across") ?? ""];
  return (
    query.has(filterParameter(day)) ||
    sort.replace(/^-/, "") === day ||
    groups.some((group) => group.replace(/:\w+$/, "") === name)
  );
}

function andOnly(before: string | null, condition: string): string {
  return before ? `(${before}) and ${condition}` : condition;
}

/** The references by which an entity leads to another one, as formulas call them; undefined where none do. */
function pathTo(scope: Scope, entity: Entity, target: Entity): string[] | undefined {
  let reached = [{ at: entity, path: [] as string[] }];
  const seen = new Set<Entity>([entity]);
  for (let step = 0; step <= mostSteps; step++) {
    const found = reached.find(({ at }) => at === target);
    if (found) return found.path;
    reached = reached.flatMap(({ at, path }) =>
      Object.entries(at.fields).flatMap(([name, field]) => {
        if (!isReference(field) || scope.isHidden(at, name)) return [];
        const next = scope.entities.named(field.to);
        if (seen.has(next)) return [];
        seen.add(next);
        return [{ at: next, path: [...path, formulaName(name, field)] }];
      }),
    );
  }
  return undefined;
}

/** The inputs by which a start page is filtered. */
export async function TileFilterForm({ scope, filter }: { scope: Scope; filter: TileFilter }) {
  const { messages } = scope;
  const { target, id, period } = filter;
  const records = target ? await linksOf(scope, target, id === undefined ? [] : [id]) : [];
  return (
    <form class="tile-filter" method="get" action="/">
      <select class="form-select" name="period" aria-label={messages.dashboard.period}>
        <option value="">{messages.dashboard.anyTime}</option>
        {offered.map((each) => (
          <option value={each} selected={each === period}>
            {messages.spans[each]}
          </option>
        ))}
      </select>
      {target && (
        <select class="form-select" name="record" aria-label={scope.namesOf(target).heading}>
          <option value="">{messages.dashboard.all(scope.namesOf(target).many)}</option>
          {records.map((record) => (
            <option value={record.id} selected={record.id === id}>
              {record.displayTitle}
            </option>
          ))}
        </select>
      )}
      <button class="btn btn-outline-secondary" type="submit">
        {messages.filter}
      </button>
      {(period !== undefined || id !== undefined) && <a href="/">{messages.showAll}</a>}
    </form>
  );
}
