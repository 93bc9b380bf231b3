import {
  type AliasableExpression,
  type Expression,
  type SelectQueryBuilder,
  type SqlBool,
  sql,
} from "kysely";
import { wordPattern } from "./database/collation.ts";
import { columnContains, contains, orderTerm } from "./database/current-dialect.ts";
import type { LinkTable } from "./records.ts";

/** What a list was asked for in its address: `?search=weak&sort=-installed&page=2&apiary_id=3`. */
export interface ListRequest {
  search: string;
  /** A column's name, with `-` before it for descending; blank for the list's own order. */
  sort: string;
  page: number;
  /** The whole query, from which filters are taken and links to other pages are made. */
  query: URLSearchParams;
}

/** A text that is looked into: a column, a choice as people read it, or what is computed. */
export type Searched =
  | string
  | { column: string; choices: Readonly<Record<string, string>> }
  | (() => Expression<unknown>);

/** What a list can do. Columns are named as in SQL: `hive.code`. */
export interface ListOptions {
  /** What the search box looks into. */
  search: readonly Searched[];
  /** What each column of the page is sorted by. */
  sort: Readonly<Record<string, string>>;
  /** Those of them that are texts. */
  textual?: readonly string[];
  /** The order without a choice, such as `["-installed", "code"]`. */
  first: readonly string[];
  /** By which fields an address may pick rows: `?apiary_id=3`. Each is a column, or a table of links. */
  filters?: Readonly<Record<string, string | LinkTable>>;
}

/** One page of a list. */
export interface ListPage<Row> {
  rows: Row[];
  /** How many rows there are on all pages. */
  total: number;
  page: number;
  pages: number;
  request: ListRequest;
  /** The order in force, as in the address. */
  sort: string;
  /** Whether a filter or a search leaves rows out. */
  narrowed: boolean;
}

/** The most characters and words that a search looks for. */
const longestSearch = 100;
const mostWords = 8;

/** The words of a search: each once, and none that is within another one. */
function wordsOf(search: string): string[] {
  const words = new Map(search.split(/\s+/).map((word) => [word.toLowerCase(), word]));
  words.delete("");
  const keys = [...words.keys()];
  const needed = keys.filter((key) => !keys.some((other) => other !== key && other.includes(key)));
  return needed.slice(0, mostWords).map((key) => words.get(key) ?? key);
}

/** Rows on a page. */
export const pageSize = 25;

/** Reads the wishes out of an address; whatever makes no sense is left out. */
export function listRequest(query: URLSearchParams): ListRequest {
  const page = Number(query.get("page"));
  return {
    search: (query.get("search") ?? "").replaceAll("\0", "").trim().slice(0, longestSearch),
    sort: query.get("sort") ?? "",
    page: Number.isSafeInteger(page) && page > 0 ? page : 1,
    query,
  };
}

/** The first page of the records that have one in a field: the hives of an apiary. */
export function relatedTo(field: string, id: number): ListRequest {
  return listRequest(new URLSearchParams({ [field]: String(id) }));
}

/** One page of a query, in two statements: how many existing rows in all, and those of the page. */
export async function listPage<Tables, Table extends keyof Tables, Row>(
  query: SelectQueryBuilder<Tables, Table, Row>,
  id: string,
  request: ListRequest,
  options: ListOptions,
): Promise<ListPage<Row>> {
  const wanted = conditions(id, request, options);
  const filtered = wanted.reduce((narrowed, condition) => narrowed.where(condition), query);
  const { total } = await filtered
    .clearSelect()
    .select(sql<number>`count(*)`.as("total"))
    .$castTo<{ total: number }>()
    .executeTakeFirstOrThrow();
  const pages = Math.max(1, Math.ceil(Number(total) / pageSize));
  const page = Math.min(request.page, pages);
  const asked = Object.hasOwn(options.sort, request.sort.replace(/^-/, "")) ? [request.sort] : [];
  const order = asked.length > 0 ? asked : options.first;
  const ordered = order.reduce((sorted, key) => {
    const name = key.replace(/^-/, "");
    const column = options.sort[name] ?? id;
    const text = options.textual?.includes(name) ?? false;
    return sorted.orderBy(orderTerm(column, key.startsWith("-"), text));
  }, filtered);
  const some = ordered
    .orderBy(sql.ref(id), order[0]?.startsWith("-") ? "desc" : "asc")
    .limit(pageSize)
    .offset((page - 1) * pageSize);
  return {
    rows: Number(total) > 0 ? await some.execute() : [],
    total: Number(total),
    page,
    pages,
    request,
    sort: order[0] ?? "",
    narrowed: wanted.length > 0,
  };
}

function conditions(
  id: string,
  request: ListRequest,
  options: ListOptions,
): AliasableExpression<SqlBool>[] {
  const words = options.search.length > 0 ? wordsOf(request.search) : [];
  const found = words.map((word) => {
    const places = options.search.flatMap((text) => lookInto(text, word, options));
    return places.length > 0 ? sql<SqlBool>`(${sql.join(places, sql` or `)})` : nowhere;
  });
  const picked = Object.entries(options.filters ?? {}).flatMap(([name, column]) => {
    const value = request.query.get(name);
    if (value === null || !/^\d{1,15}$/.test(value)) return [];
    if (typeof column === "string") return [sql<SqlBool>`${sql.ref(column)} = ${Number(value)}`];
    const { table, from, to } = column;
    return [
      sql<SqlBool>`${sql.ref(id)} in (select ${sql.ref(from)} from ${sql.table(table)} where ${sql.ref(to)} = ${Number(value)})`,
    ];
  });
  return [...found, ...picked];
}

/** A condition that no row meets. */
const nowhere = sql<SqlBool>`1 = 0`;

/** The condition that a text holds a word; none where it can't. */
function lookInto(
  text: Searched,
  word: string,
  { sort, textual = [] }: ListOptions,
): AliasableExpression<SqlBool>[] {
  if (typeof text === "function") return [contains(text(), word)];
  if (typeof text === "string") {
    const ordered = textual.some((name) => sort[name] === text);
    return [columnContains(text, word, ordered)];
  }
  const pattern = new RegExp(wordPattern(word));
  const values = Object.entries(text.choices).flatMap(([value, label]) =>
    pattern.test(label) ? [value] : [],
  );
  return values.length > 0 ? [sql<SqlBool>`${sql.ref(text.column)} in (${sql.join(values)})`] : [];
}
