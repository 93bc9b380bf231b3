import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference, isReferences } from "../../entity/entity.ts";
import { Problem, type Wrong } from "../../http/problem.ts";
import { alongFilters } from "../../store/list/along.ts";
import { filtersOf } from "../../store/list/filters.ts";
import { onlyIn } from "../../store/list/only.ts";
import { orderKeys } from "../../store/list/order.ts";
import { type ListRequest, listRequest, longestSearch } from "../../store/list/request.ts";
import { linkName, seenFields, sortNames } from "./shapes.ts";

/** What a program asked of the rows of an entity. */
export interface AskedRows {
  request: ListRequest;
  /** The members that rows are to have; all, without it. */
  only: ReadonlySet<string> | undefined;
  /** The fields whose records are to come along with all of their own fields. */
  along: readonly string[];
}

/** The most rows that one answer has, and how many it has where nothing is said. */
export const rowsAtOnce = { most: 500, usual: 50 } as const;

/** The most fields whose records come along. */
const mostAlong = 5;

/** The parameters that say which rows; those of a list say how many, and in which order. */
const ofRows = ["search", "archived", "only"] as const;
const ofList = ["sort", "size", "after", "count"] as const;
type OfList = (typeof ofList)[number];

/** The parameters that say how a row is told. */
const ofRow = ["fields", "along"] as const;

/**
 * Reads what is asked of some rows; `known` are the parameters of lists that there are. Unlike a page, a program is told of
 * whatever makes no sense.
 */
export function askedRows(
  scope: Scope,
  entity: Entity,
  query: URLSearchParams,
  known: readonly OfList[] = ofList,
): AskedRows {
  const wrong = new WrongParameters(scope, query);
  const told = askedMembers(scope, entity, wrong);
  wrong.single(...ofRows, ...known);
  const request = { ...listRequest(query), size: wrong.number("size", rowsAtOnce.most) };
  const { after, size } = request;
  wrong.unless("after", after !== undefined, "recordNumber");
  wrong.unless("count", request.countsAll, "countAll");
  wrong.unless("archived", entity.archive === true && isArchived(query), "archived");
  wrong.unless("search", (query.get("search") ?? "").length <= longestSearch, "tooLong");
  checkOrder(scope, entity, wrong);
  const only = onlyIn(scope, entity, query);
  if (only && "complaint" in only.found) wrong.say("only", only.found.complaint.message);
  checkFilters(scope, entity, wrong);
  wrong.end();
  return { request: { ...request, size: size ?? rowsAtOnce.usual }, ...told };
}

/** Reads what is asked of one row. */
export function askedRow(scope: Scope, entity: Entity, query: URLSearchParams) {
  const wrong = new WrongParameters(scope, query);
  const told = askedMembers(scope, entity, wrong);
  wrong.rest(new Set());
  wrong.end();
  return told;
}

function isArchived(query: URLSearchParams): boolean {
  return ["only", "all"].includes(query.get("archived") ?? "");
}

function askedMembers(scope: Scope, entity: Entity, wrong: WrongParameters) {
  wrong.single(...ofRow);
  // Most programs ask for rows as they are.
  if (!ofRow.some((name) => wrong.query.has(name))) return { only: undefined, along: [] };
  const seen = new Map(seenFields(scope, entity));
  const links = [...seen].filter(([, field]) => isReference(field) || isReferences(field));
  const leading = new Map(links.map(([name]) => [linkName(name), name]));
  const names = new Set(["created_at", "updated_at", "displayTitle", ...seen.keys()]);
  for (const each of [...leading.keys(), "id", "version"]) names.add(each);
  const wanted = listed(wrong.query.get("fields"));
  const along = listed(wrong.query.get("along")) ?? [];
  const strange = wanted?.find((name) => !names.has(name));
  if (strange !== undefined) wrong.about("fields", "noField", strange, names);
  const lost = along.find((name) => !leading.has(name));
  if (lost !== undefined) wrong.about("along", "noReference", lost, leading.keys());
  if (along.length > mostAlong) wrong.about("along", "atMostNames", String(mostAlong));
  return { only: wanted && new Set(wanted), along: [...new Set(along)] };
}

function listed(text: string | null): string[] | undefined {
  return text === null ? undefined : text.split(",", 200).flatMap((part) => part.trim() || []);
}

function checkOrder(scope: Scope, entity: Entity, wrong: WrongParameters): void {
  const sort = wrong.query.get("sort");
  if (sort === null) return;
  const asked = sort.split(",", 100);
  const taken = new Set(orderKeys(scope, entity, sort));
  const strange = asked.find((key) => !taken.has(key));
  if (strange === undefined) return;
  wrong.about("sort", "noOrder", strange, sortNames(scope, entity));
}

/** Every other parameter has to be a filter that keeps some rows. */
function checkFilters(scope: Scope, entity: Entity, wrong: WrongParameters): void {
  const { query } = wrong;
  const read = new Set<string>();
  const parts = filtersOf(scope, entity, query).flatMap((filter) => filter.parts);
  for (const { parameter, value } of parts) read.add(`${parameter}=${value}`);
  for (const { parameter, value, field } of alongFilters(scope, entity, query)) {
    if (field) read.add(`${parameter}=${value}`);
  }
  wrong.rest(read);
}

/** Collects what is wrong with the parameters of an address, so that all of it is said at once. */
class WrongParameters {
  readonly #wrong: Wrong[] = [];
  readonly #known = new Set<string>();

  constructor(
    readonly scope: Scope,
    readonly query: URLSearchParams,
  ) {}

  get #words() {
    return this.scope.messages.api;
  }

  say(parameter: string, detail: string): void {
    this.#wrong.push({ parameter, detail });
  }

  /** Says that a parameter names something that isn't there, and what is. */
  about(
    parameter: string,
    why: "noField" | "noReference" | "noOrder" | "atMostNames",
    name: string,
    known: Iterable<string> = [],
  ): void {
    this.say(parameter, this.#words[why](name.slice(0, 80), [...known].slice(0, 60).join(", ")));
  }

  /** Knows parameters, each of which is there once at most. */
  single(...names: readonly string[]): void {
    for (const name of names) {
      this.#known.add(name);
      if (this.query.getAll(name).length > 1) this.say(name, this.#words.once);
    }
  }

  /** Says what is wrong with a parameter that is there and doesn't make sense. */
  unless(
    name: string,
    makesSense: boolean,
    why: "recordNumber" | "countAll" | "archived" | "tooLong",
  ) {
    if (this.query.has(name) && !makesSense) this.say(name, this.#words[why]);
  }

  /** A number from 1 to some other; undefined where there is none. */
  number(name: string, most: number): number | undefined {
    const text = this.query.get(name);
    if (text === null) return undefined;
    const value = /^\d{1,6}$/.test(text) ? Number(text) : 0;
    if (value >= 1 && value <= most) return value;
    this.say(name, this.#words.numberTo(most));
    return undefined;
  }

  /** Says of all others that they do nothing, unless they are among those that were read. */
  rest(read: ReadonlySet<string>): void {
    for (const [name, value] of this.query) {
      if (this.#known.has(name) || read.has(`${name}=${value}`)) continue;
      this.say(name.slice(0, 80), this.#words.noFilter(value.slice(0, 80)));
    }
  }

  /** Ends the request where something is wrong. */
  end(): void {
    if (this.#wrong.length === 0) return;
    throw new Problem("query", this.#words.wrongQuery, this.#wrong.slice(0, 20));
  }
}
