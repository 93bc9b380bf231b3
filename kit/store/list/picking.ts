import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { orderValue } from "../../database/current-dialect.ts";
import { type Entity, handColumn, isReference } from "../../entity/entity.ts";
import { isOrderedByLetters } from "../../fields/types.ts";
import { runCompiled } from "../compiled.ts";
import { selection } from "../select.ts";
import { plainTitle, titleProperty } from "../titles.ts";
import { type Condition, countRows, where } from "./conditions.ts";
import { columnNamed, orderBy, sortColumn, sortOf, type Term } from "./order.ts";
import { behind, type OrderedTerm, type Source } from "./places.ts";

/** Where in its order rows of a list are taken: behind some others by their number, behind or before a record, or at the end. */
export type Place = { skip: number } | { after: number } | { before: number | "end" };

/** Rows of a list, and whether there are more in the direction in which they were taken. */
interface Picked {
  rows: Record<string, unknown>[];
  more: boolean;
}

/** The rows in a place of an order, up to `size` of them; undefined where the record that it names isn't in the list. */
export async function rowsAt(
  scope: Scope,
  entity: Entity,
  {
    keys,
    wanted,
    place,
    size,
  }: { keys: readonly string[]; wanted: readonly Condition[]; place: Place; size: number },
): Promise<Picked | undefined> {
  const sources = sourcesOf(scope, entity, keys);
  const reversed = "before" in place;
  const found: Record<string, unknown>[] = [];
  if ("skip" in place) {
    let { skip } = place;
    for (const [at, source] of sources.entries()) {
      const limit = size + 1 - found.length;
      const rows = await pick(scope, entity, source, { wanted, limit, skip, reversed });
      found.push(...rows);
      if (found.length > size || at === sources.length - 1) break;
      if (rows.length > 0) skip = 0;
      else if (skip > 0) {
        const before = await countRows(scope, entity, [...wanted, ...source.own]);
        skip = Math.max(0, skip - before);
      }
    }
    return { rows: found.slice(0, size), more: found.length > size };
  }
  const parts = await partsFrom(
    scope,
    entity,
    reversed ? sources.map(turned).reverse() : sources,
    place,
  );
  if (!parts) return undefined;
  for (const { source, behind } of parts) {
    const limit = size + 1 - found.length;
    if (limit <= 0) break;
    const rows = await pick(scope, entity, source, { wanted, limit, skip: 0, reversed, behind });
    if (reversed) found.unshift(...rows);
    else found.push(...rows);
  }
  const more = found.length > size;
  return { rows: reversed ? found.slice(-size) : found.slice(0, size), more };
}

/** A source of rows, with what they are ordered by in a statement about those that were picked. */
interface Picking extends Source {
  /** Which rows of the table they are; all, without any. */
  own: readonly Condition[];
  outer: readonly Term[];
  /** Whether they are in the entity's own order, for which its table has an index. */
  indexed?: boolean;
}

/** A source in the opposite order. */
function turned(source: Picking): Picking {
  const terms = source.terms.map((term) => ({ ...term, descending: !term.descending }));
  return { ...source, terms };
}

/** The parts of sources that come behind a record, in their order. */
async function partsFrom(
  scope: Scope,
  entity: Entity,
  sources: readonly Picking[],
  place: Exclude<Place, { skip: number }>,
): Promise<{ source: Picking; behind?: Behind }[] | undefined> {
  const whole = (source: Picking) => ({ source });
  const from = "after" in place ? place.after : place.before;
  if (from === "end") return sources.map(whole);
  const row = sql<SqlBool>`${sql.ref(`${entity.table}.id`)} = ${from}`;
  for (const [at, source] of sources.entries()) {
    const blanks = await blanksOf(scope, entity, source, { row, from });
    if (!blanks) continue;
    const parts = behind(source, row, blanks).map((condition, at) => ({
      source,
      behind: { condition, record: from, key: `${at} ${blanks}` },
    }));
    return [...parts, ...sources.slice(at + 1).map(whole)];
  }
  return undefined;
}

/** The condition of rows that come behind a record, and what tells it from others in the same order. */
interface Behind {
  condition: RawBuilder<SqlBool>;
  record: number;
  key: string;
}

/** In which columns of an order a row has nothing; undefined where it isn't among those of a source. */
async function blanksOf(
  scope: Scope,
  entity: Entity,
  { from, joined, terms }: Source,
  asked: { row: RawBuilder<SqlBool>; from: number },
): Promise<boolean[] | undefined> {
  const columns = terms.map(
    ({ column, text }, at) =>
      sql`case when ${orderValue(column, text)} is null then 1 else 0 end as ${sql.ref(`b${at}`)}`,
  );
  const made = () => sql<Record<string, unknown>>`
    select ${sql.join(columns)} from ${from} where ${sql.join([...joined, asked.row], sql` and `)}`;
  const key = `blanks ${orderKey(terms)} ${joined.length}`;
  const [found] = isPlain(terms)
    ? await runCompiled(scope, entity, { key, values: [asked.from], made })
    : (await made().execute(scope.db)).rows;
  return found && terms.map((_, at) => Number(found[`b${at}`]) === 1);
}

/** The sources of a list's rows, in its order: usually one, with all of them. */
function sourcesOf(scope: Scope, entity: Entity, keys: readonly string[]): Picking[] {
  const { table } = entity;
  const terms = keys.map((key) => {
    const name = columnNamed(entity, key.replace(/^-/, ""));
    const descending = key.startsWith("-");
    return { name, descending, by: sortOf(entity, name), field: entity.fields[name] };
  });
  const descending = terms[0]?.descending ?? false;
  const tie = { column: `${table}.id`, descending, text: false, nullable: false };
  const [only] = terms;
  if (only?.field && terms.length === 1 && isReference(only.field)) {
    const lookup = lookupOrder(scope, entity, only.name, only.field.to);
    if (lookup)
      return byLookup(scope, entity, { ...only, isRequired: only.field.required }, lookup, tie);
  }
  const computed = terms.flatMap(({ by }, at) =>
    by?.computed ? [sql`${by.computed(scope)} as ${sql.ref(sortColumn(at))}`] : [],
  );
  const own = sql`${scope.rowsOf(entity)} as ${sql.table(table)}`;
  const inner = terms.map(({ by, descending, field }, at): OrderedTerm => {
    const column = by?.computed ? sortColumn(at) : (by?.column ?? `${table}.id`);
    const nullable =
      by?.computed !== undefined ||
      (field ? !field.required : by?.column === `${table}.${handColumn}`);
    return { column, descending, text: by?.text ?? false, nullable };
  });
  const outer = terms.map(({ by, descending }): Term => {
    const column = by?.selected ?? by?.column ?? `${table}.id`;
    return { column, descending, text: by?.text ?? false };
  });
  // What is computed has to be a column before rows can be compared by it.
  const from =
    computed.length > 0
      ? sql`(select ${sql.table(table)}.*, ${sql.join(computed)} from ${own}) as ${sql.table(table)}`
      : own;
  const indexed = isOwnOrder(entity, keys);
  return [{ from, joined: [], own: [], terms: [...inner, tie], outer: [...outer, tie], indexed }];
}

/** Whether an order is the own one of an entity, or the opposite, by one column of its table or by number. */
function isOwnOrder(entity: Entity, keys: readonly string[]): boolean {
  const [own, ...others] = entity.order;
  const plain = (key = "") => key.replace(/^-/, "");
  const isPlainColumn = own === undefined || sortOf(entity, plain(own))?.column !== undefined;
  const isSame = keys.length === entity.order.length && plain(keys[0]) === plain(own);
  return others.length === 0 && isSame && isPlainColumn;
}

/** The name of the picked rows in a statement; no table is called so. */
const picked = "-picked";

/**
 * Picks the numbers of the rows first, then reads these rows: what is only shown isn't computed for those that are
 * skipped. In an order that an index has, none are skipped that were read.
 */
async function pick(
  scope: Scope,
  entity: Entity,
  { from, joined, terms, outer, indexed }: Picking,
  {
    wanted,
    limit,
    skip,
    reversed,
    behind,
  }: {
    wanted: readonly Condition[];
    limit: number;
    skip: number;
    reversed: boolean;
    behind?: Behind | undefined;
  },
): Promise<Record<string, unknown>[]> {
  const more = behind ? [behind.condition] : [];
  const conditions = [...wanted, ...joined, ...more] as Condition[];
  const isFirst = behind !== undefined || skip === 0;
  const isDirect = indexed === true && !reversed && wanted.length === 0 && isFirst;
  const made = () => {
    if (isDirect) {
      return sql<Record<string, unknown>>`
        select ${selection(scope, entity)} from ${from} ${where(conditions)}
        order by ${orderBy(terms)} limit ${sql.lit(limit)}`;
    }
    const id = sql.ref(`${entity.table}.id`);
    const columns = terms.flatMap(({ column }) => (column.startsWith("-") ? sql.ref(column) : []));
    const ids = sql`
      select ${sql.join([id, ...columns])} from ${from} ${where(conditions)}
      order by ${orderBy(terms)} limit ${sql.lit(limit)} ${behind ? sql`` : sql`offset ${skip}`}`;
    return sql<Record<string, unknown>>`
      select ${selection(scope, entity)} from (${ids}) as ${sql.table(picked)}
      join ${scope.rowsOf(entity)} as ${sql.table(entity.table)} on ${id} = ${sql.ref(`${picked}.id`)}
      order by ${orderBy(outer)}`;
  };
  if (wanted.length > 0 || !isPlain(terms)) return (await made().execute(scope.db)).rows;
  const key = [limit, reversed, orderKey(terms), joined.length, behind?.key, isDirect].join(" ");
  const values = behind ? { each: behind.record } : isDirect ? [] : [skip];
  return runCompiled(scope, entity, { key, values, made });
}

/** Whether an order is by columns only, which are the same for everybody. */
function isPlain(terms: readonly Term[]): boolean {
  return terms.every(({ column }) => column.includes("."));
}

function orderKey(terms: readonly Term[]): string {
  return terms.map(({ column, descending }) => `${column} ${descending}`).join();
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
function byLookup(
  scope: Scope,
  entity: Entity,
  { name, descending, isRequired }: { name: string; descending: boolean; isRequired: boolean },
  { target, column }: LookupOrder,
  tie: OrderedTerm,
): Picking[] {
  const reference = sql.ref(`${entity.table}.${name}`);
  const own = sql`${scope.rowsOf(entity)} as ${sql.table(entity.table)}`;
  const alias = `${entity.table}_${name}`;
  const isBlank = sql<SqlBool>`${reference} is null`;
  const blank: Picking = {
    from: own,
    joined: [isBlank],
    own: [isBlank],
    terms: [tie],
    outer: [tie],
  };
  const filled: Picking = {
    from: sql`${scope.rowsOf(target)} as ${sql.table(alias)} cross join ${own}`,
    joined: [sql<SqlBool>`${sql.ref(`${alias}.id`)} = ${reference}`],
    own: [sql<SqlBool>`${reference} is not null`],
    terms: [{ column, descending, text: true, nullable: false }, tie],
    outer: [{ column: titleProperty(name), descending, text: true }, tie],
  };
  if (isRequired) return [filled];
  return descending ? [filled, blank] : [blank, filled];
}
