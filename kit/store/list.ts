import { type AliasableExpression, type RawBuilder, type SqlBool, sql } from "kysely";
import { allowedAmong } from "../access/row-rights.ts";
import type { Scope } from "../access/scope.ts";
import { wordPattern } from "../database/collation.ts";
import { columnContains, contains, orderTerm } from "../database/current-dialect.ts";
import {
  type Entity,
  isComputed,
  isReference,
  isReferences,
  type RowOf,
} from "../entity/entity.ts";
import { labelIn } from "../entity/label.ts";
import type { Field } from "../fields/field.ts";
import { isOrderedByLetters, typeOf } from "../fields/types.ts";
import { runCompiled } from "./compiled.ts";
import { completed, selection } from "./select.ts";
import { plainTitle, titleProperty, titleThrough } from "./titles.ts";

/** What a list was asked for in its address: `?search=weak&sort=-installed&page=2&apiary_id=3`. */
export interface ListRequest {
  search: string;
  /** A column's name, with `-` before it for descending; blank for the list's own order. */
  sort: string;
  page: number;
  /** The whole query, from which filters are taken and links to other pages are made. */
  query: URLSearchParams;
}

/** One page of a list. */
export interface ListPage<Known extends Entity = Entity> {
  scope: Scope;
  entity: Known;
  rows: RowOf<Known>[];
  /** The numbers of those that the person may change, where the page leads to their forms. */
  changeable?: ReadonlySet<number>;
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

/** Rows on a page. */
export const pageSize = 25;

/** The most characters and words that a search looks for. */
const longestSearch = 100;
const mostWords = 8;

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

/** What gives the first page of the records that have one in a field: the hives of an apiary. */
export function relatedBy<Known extends Entity>(
  entity: Known,
  field: keyof Known["fields"] & string,
): (scope: Scope, id: number) => Promise<ListPage<Known>> {
  return async (scope, id) => {
    const request = listRequest(new URLSearchParams({ [field]: String(id) }));
    const page = await listPage(scope, entity, request);
    const ids = page.rows.map((row) => row.id);
    const known = entity as unknown as Entity;
    return { ...page, changeable: await allowedAmong(scope, "change", known, ids) };
  };
}

/** One page of the rows of an entity that are in sight, and how many there are in all. */
export async function listPage<Known extends Entity>(
  scope: Scope,
  entity: Known,
  request: ListRequest,
): Promise<ListPage<Known>> {
  const wanted = conditions(scope, entity, request);
  const total = await countRows(scope, entity, wanted);
  const pages = Math.max(1, Math.ceil(total / pageSize));
  const page = Math.min(request.page, pages);
  const asked = sortOf(entity, request.sort.replace(/^-/, "")) ? [request.sort] : [];
  const keys = asked.length > 0 ? asked : entity.order;
  const first = (page - 1) * pageSize;
  const range = { from: first, to: Math.min(first + pageSize, total) };
  const rows = total > 0 ? await rowsInRange(scope, entity, { keys, wanted, total, range }) : [];
  return {
    scope,
    entity,
    rows: await completed(scope, entity, rows),
    total,
    page,
    pages,
    request,
    sort: keys[0] ?? "",
    narrowed: wanted.length > 0,
  };
}

type Condition = AliasableExpression<SqlBool>;

async function countRows(
  scope: Scope,
  entity: Entity,
  wanted: readonly Condition[],
): Promise<number> {
  const made = () =>
    sql<{ total: number }>`
      select count(*) as total from ${scope.rowsOf(entity)} as ${sql.table(entity.table)} ${where(wanted)}`;
  const rows =
    wanted.length > 0
      ? (await made().execute(scope.db)).rows
      : await runCompiled(scope, entity, { key: "count", values: [], made });
  return Number(rows[0]?.total ?? 0);
}

function where(conditions: readonly RawBuilder<unknown>[] | readonly Condition[]) {
  return conditions.length > 0 ? sql`where ${sql.join([...conditions], sql` and `)}` : sql``;
}

/** Places in an order, counted from 0; `to` is not one of them. */
interface Range {
  from: number;
  to: number;
}

interface Ordered {
  keys: readonly string[];
  wanted: readonly Condition[];
  total: number;
  range: Range;
}

/** The rows in some places of an order. */
async function rowsInRange(
  scope: Scope,
  entity: Entity,
  { keys, wanted, total, range }: Ordered,
): Promise<Record<string, unknown>[]> {
  const terms = keys.map((key) => {
    const name = columnNamed(entity, key.replace(/^-/, ""));
    return { name, descending: key.startsWith("-"), by: sortOf(entity, name) };
  });
  const [only] = terms;
  const field = only && terms.length === 1 ? entity.fields[only.name] : undefined;
  if (only && field && isReference(field)) {
    const lookup = lookupOrder(scope, entity, only.name, field.to);
    if (lookup) {
      const { name, descending } = only;
      return byLookup(scope, entity, { name, descending, lookup, wanted, total, range, field });
    }
  }
  const columns = terms.flatMap(({ by }, at) =>
    by?.computed ? [sql`${by.computed(scope)} as ${sql.ref(sortColumn(at))}`] : [],
  );
  const inner = terms.map(({ by, descending }, at): Term => {
    const column = by?.computed ? sortColumn(at) : (by?.column ?? `${entity.table}.id`);
    return { column, descending, text: by?.text ?? false };
  });
  const tie = { column: `${entity.table}.id`, descending: terms[0]?.descending ?? false };
  const outer = terms.map(({ by, descending }): Term => {
    const column = by?.selected ?? by?.column ?? `${entity.table}.id`;
    return { column, descending, text: by?.text ?? false };
  });
  const from = sql`${scope.rowsOf(entity)} as ${sql.table(entity.table)}`;
  return pick(scope, entity, {
    columns,
    from,
    wanted,
    inner: [...inner, { ...tie, text: false }],
    outer: [...outer, { ...tie, text: false }],
    total,
    range,
  });
}

/** A column that rows are ordered by. */
interface Term {
  column: string;
  descending: boolean;
  text: boolean;
}

function orderBy(terms: readonly Term[], reversed = false): RawBuilder<unknown> {
  return sql.join(
    terms.map(({ column, descending, text }) => orderTerm(column, descending !== reversed, text)),
  );
}

/** A column of the picked rows that they are ordered by; no field is called so. */
function sortColumn(at: number): string {
  return `-${at}`;
}

/** The name of the picked rows in a statement; no table is called so. */
const picked = "-picked";

interface Picking {
  /** Columns that only the order needs. */
  columns: readonly RawBuilder<unknown>[];
  from: RawBuilder<unknown>;
  wanted: readonly (RawBuilder<unknown> | Condition)[];
  inner: readonly Term[];
  outer: readonly Term[];
  total: number;
  range: Range;
}

/**
 * Picks the numbers of the rows first, then reads these rows: what is only shown isn't computed for those that are
 * skipped. Places in the second half are counted from the end.
 */
async function pick(
  scope: Scope,
  entity: Entity,
  { columns, from, wanted, inner, outer, total, range }: Picking,
): Promise<Record<string, unknown>[]> {
  const reversed = range.from > total / 2;
  const skip = reversed ? total - range.to : range.from;
  const size = range.to - range.from;
  const made = () => {
    const id = sql.ref(`${entity.table}.id`);
    const ids = sql`
      select ${sql.join([id, ...columns])} from ${from} ${where(wanted as Condition[])}
      order by ${orderBy(inner, reversed)} limit ${sql.lit(size)} offset ${skip}`;
    return sql<Record<string, unknown>>`
      select ${selection(scope, entity)} from (${ids}) as ${sql.table(picked)}
      join ${scope.rowsOf(entity)} as ${sql.table(entity.table)} on ${id} = ${sql.ref(`${picked}.id`)}
      order by ${orderBy(outer)}`;
  };
  if (wanted.length > 0 || columns.length > 0) return (await made().execute(scope.db)).rows;
  const key = [size, reversed, ...inner.map(({ column, descending }) => `${column} ${descending}`)];
  return runCompiled(scope, entity, { key: key.join(), values: [skip], made });
}

/** The table and the column by which a lookup is ordered, where that is one column with an index. */
interface LookupOrder {
  target: Entity;
  column: string;
}

/** Undefined where titles are made of several columns, or where some records are out of sight. */
function lookupOrder(
  scope: Scope,
  entity: Entity,
  name: string,
  to: string,
): LookupOrder | undefined {
  const target = scope.entities.named(to);
  const plain = plainTitle(target);
  const title = plain === undefined ? undefined : target.fields[plain];
  if (!title || !isOrderedByLetters(title) || !scope.seesAll(target)) return undefined;
  return { target, column: `${entity.table}_${name}.${plain}` };
}

/**
 * Rows ordered by the title of what they refer to: by way of the index that the lists of the other entity use.
 * Rows that refer to nothing come first, or last in a descending order.
 */
async function byLookup(
  scope: Scope,
  entity: Entity,
  {
    name,
    descending,
    lookup,
    wanted,
    total,
    range,
    field,
  }: Omit<Ordered, "keys"> & {
    name: string;
    descending: boolean;
    lookup: LookupOrder;
    field: Field;
  },
): Promise<Record<string, unknown>[]> {
  const { target, column } = lookup;
  const reference = sql.ref(`${entity.table}.${name}`);
  const own = sql`${scope.rowsOf(entity)} as ${sql.table(entity.table)}`;
  const alias = `${entity.table}_${name}`;
  const tie = { column: `${entity.table}.id`, descending, text: false };
  const without = [...wanted, sql<SqlBool>`${reference} is null`];
  const blanks = field.required ? 0 : await countRows(scope, entity, without as Condition[]);
  const start = descending ? total - blanks : 0;
  const parts = [
    {
      start,
      total: blanks,
      from: own,
      wanted: without,
      inner: [tie],
      outer: [tie],
    },
    {
      start: descending ? 0 : blanks,
      total: total - blanks,
      from: sql`${scope.rowsOf(target)} as ${sql.table(alias)} cross join ${own}`,
      wanted: [...wanted, sql<SqlBool>`${sql.ref(`${alias}.id`)} = ${reference}`],
      inner: [{ column, descending, text: true }, tie],
      outer: [{ column: titleProperty(name), descending, text: true }, tie],
    },
  ].sort((one, other) => one.start - other.start);
  const found: Record<string, unknown>[] = [];
  for (const part of parts) {
    const from = Math.max(0, range.from - part.start);
    const to = Math.min(part.total, range.to - part.start);
    if (from >= to) continue;
    found.push(...(await pick(scope, entity, { ...part, columns: [], range: { from, to } })));
  }
  return found;
}

/** What a list is sorted by. */
interface Sort {
  /** A column of the table. */
  column?: string;
  /** What is computed of each row. */
  computed?: (scope: Scope) => RawBuilder<unknown>;
  /** Its name among what is selected. */
  selected?: string;
  text: boolean;
}

/** The name by which an address sorts a list by a column; undefined where it can't. */
export function sortName(entity: Entity, column: string): string | undefined {
  const field = entity.fields[column];
  const name = field && isReference(field) ? column.replace(/_id$/, "") : column;
  return sortOf(entity, name) ? name : undefined;
}

/** The column behind such a name; `apiary` is `apiary_id`. */
function columnNamed({ fields }: Entity, name: string): string {
  const reference = Object.hasOwn(fields, `${name}_id`) ? fields[`${name}_id`] : undefined;
  return reference && isReference(reference) ? `${name}_id` : name;
}

/** What a list is sorted by for a name in its address; undefined where it can't be. */
function sortOf(entity: Entity, given: string): Sort | undefined {
  const { table, fields, sorted } = entity;
  const name = columnNamed(entity, given);
  if (sorted.includes(name)) return { column: `${table}.${name}`, text: false };
  const field = Object.hasOwn(fields, name) ? fields[name] : undefined;
  if (!field || !typeOf(field).sortable) return undefined;
  const text = isOrderedByLetters(field);
  if (isComputed(field)) return { computed: (scope) => field.formula(scope), selected: name, text };
  if (!isReference(field)) return { column: `${table}.${name}`, text };
  return {
    computed: (scope) => titleThrough(scope, scope.entities.named(field.to), `${table}.${name}`),
    selected: titleProperty(name),
    text,
  };
}

function conditions(scope: Scope, entity: Entity, request: ListRequest): Condition[] {
  const { table, fields } = entity;
  const searched = Object.entries(fields).filter(([, field]) => typeOf(field).searched);
  const words = searched.length > 0 ? wordsOf(request.search) : [];
  const found = words.map((word) => {
    const places = searched.flatMap(([name, field]) => lookInto(scope, entity, name, field, word));
    return places.length > 0 ? sql<SqlBool>`(${sql.join(places, sql` or `)})` : nowhere;
  });
  const chosen = Object.entries(fields).flatMap(([name, field]) => {
    const value = request.query.get(name);
    if (value === null || !/^\d{1,15}$/.test(value)) return [];
    if (!isReference(field) && !isReferences(field)) return [];
    const seen = isInSight(scope, scope.entities.named(field.to), Number(value));
    if (isReference(field))
      return [...seen, sql<SqlBool>`${sql.ref(`${table}.${name}`)} = ${Number(value)}`];
    const { table: links, from, to } = field.through;
    return [
      ...seen,
      sql<SqlBool>`${sql.ref(`${table}.id`)} in (select ${sql.ref(from)} from ${scope.rows(links)} as links where ${sql.ref(to)} = ${Number(value)})`,
    ];
  });
  return [...found, ...chosen];
}

/** The condition that a record is one that the person may see: whose it is can't be found out by filtering. */
function isInSight(scope: Scope, entity: Entity, id: number): Condition[] {
  if (!scope.rowCondition(entity)) return [];
  return [sql<SqlBool>`${id} in (select seen.id from ${scope.rowsOf(entity)} as seen)`];
}

/** The words of a search: each once, and none that is within another one. */
function wordsOf(search: string): string[] {
  const words = new Map(search.split(/\s+/).map((word) => [word.toLowerCase(), word]));
  words.delete("");
  const keys = [...words.keys()];
  const needed = keys.filter((key) => !keys.some((other) => other !== key && other.includes(key)));
  return needed.slice(0, mostWords).map((key) => words.get(key) ?? key);
}

/** A condition that no row meets. */
const nowhere = sql<SqlBool>`1 = 0`;

/** The condition that a field holds a word; none where it can't. */
function lookInto(
  scope: Scope,
  { table }: Entity,
  name: string,
  field: Field,
  word: string,
): Condition[] {
  if (isComputed(field)) return [contains(field.formula(scope), word)];
  const column = `${table}.${name}`;
  if (!field.choices) return [columnContains(column, word, typeOf(field).sortable)];
  const pattern = new RegExp(wordPattern(word));
  const values = Object.entries(field.choices).flatMap(([value, label]) =>
    pattern.test(labelIn(label, scope.language)) ? [value] : [],
  );
  return values.length > 0 ? [sql<SqlBool>`${sql.ref(column)} in (${sql.join(values)})`] : [];
}
