import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { isOrderedByLetters } from "../../fields/types.ts";
import { runCompiled } from "../compiled.ts";
import { selection } from "../select.ts";
import { plainTitle, titleProperty } from "../titles.ts";
import { type Condition, countRows, where } from "./conditions.ts";
import { columnNamed, orderBy, sortColumn, sortOf, type Term } from "./order.ts";

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
export async function rowsInRange(
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
