import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { type Entity, isComputed, isReference, type Row } from "../../entity/entity.ts";
import type { Link } from "../../entity/links.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { conditions, where } from "./conditions.ts";
import { columnValue } from "./filters.ts";
import { orderKeys, sortName } from "./order.ts";
import type { ListRequest } from "./request.ts";
import { exact, isAddedUp } from "./totals.ts";

/** The rows of a list that have the same in the field by which it is grouped, on all of its pages. */
export interface Group {
  count: number;
  /** The sums of columns of numbers, by their names. */
  sums: ReadonlyMap<string, number>;
}

/** A field by which a list is grouped, and the groups by what they have in it. */
export interface Grouping {
  field: string;
  groups: ReadonlyMap<string, Group>;
}

/** Whether a list can be grouped by a field: a choice, a boolean or a reference that the person sees. */
export function isGroupable(scope: Scope, entity: Entity, name: string): boolean {
  const field = Object.hasOwn(entity.fields, name) ? entity.fields[name] : undefined;
  if (!field || isComputed(field) || scope.isHidden(entity, name)) return false;
  return field.choices !== undefined || field.kind === "boolean" || isReference(field);
}

/** The order of a list: that of its groups first, where it has some. */
export function groupedKeys(
  scope: Scope,
  entity: Entity,
  { sort, group }: ListRequest,
): readonly string[] {
  const keys = orderKeys(scope, entity, sort);
  const first = isGroupable(scope, entity, group) ? sortName(entity, group) : undefined;
  if (first === undefined) return keys;
  return [first, ...keys.filter((key) => key.replace(/^-/, "") !== first)];
}

/**
 * The key of the group that a row belongs to; blank where it has nothing in the field, or a record that the person
 * doesn't see: which rows have the same one of these isn't theirs to know.
 */
export function groupKey({ fields }: Entity, row: Row, name: string): string {
  const field = fields[name];
  const link =
    field && isReference(field) ? (row[name.replace(/_id$/, "")] as Link | null) : undefined;
  const value = link === undefined ? row[name] : link?.id;
  return value === null || value === undefined ? "" : String(value);
}

/** How many rows each group of a page has in all, and what their numbers come to. */
export async function groupingOf(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  {
    field: name,
    rows,
    columns,
  }: { field: string; rows: readonly Row[]; columns: readonly string[] },
): Promise<Grouping> {
  const field = entity.fields[name];
  if (!field || rows.length === 0) return { field: name, groups: new Map() };
  const value = seenValue(scope, entity, name, field);
  const blank = rows.some((row) => groupKey(entity, row, name) === "");
  const some = new Set(
    rows.filter((row) => groupKey(entity, row, name) !== "").map((row) => row[name]),
  );
  const among = [
    ...(some.size > 0 ? [sql`${value} in (${sql.join([...some])})`] : []),
    ...(blank ? [sql`${value} is null`] : []),
  ];
  const added = columns.filter((column) => {
    const each = entity.fields[column];
    return each && typeOf(each).numeric && isAddedUp(each) && !scope.isHidden(entity, column);
  });
  const sums = added.map((column, at): RawBuilder<unknown> => {
    const each = columnValue(scope, entity, column, entity.fields[column] as Field);
    return sql`, sum(${each}) as ${sql.id(`sum${at}`)}`;
  });
  const found = await sql<Record<string, unknown>>`
    select ${value} as value, count(*) as total${sql.join(sums, sql``)}
    from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
    ${where([...(await conditions(scope, entity, request)), sql<SqlBool>`(${sql.join(among, sql` or `)})`])}
    group by ${value}`.execute(scope.db);
  const groups = found.rows.map((row): [string, Group] => [
    // Databases without booleans give numbers for them.
    row.value === null ? "" : String(field.kind === "boolean" ? Boolean(row.value) : row.value),
    {
      count: Number(row.total),
      sums: new Map(
        added.flatMap((column, at): [string, number][] => {
          const sum = row[`sum${at}`];
          return sum === null || sum === undefined ? [] : [[column, exact(sum as number)]];
        }),
      ),
    },
  ]);
  return { field: name, groups: new Map(groups) };
}

/** What a row has in a field; of records out of sight, nothing. */
function seenValue(scope: Scope, entity: Entity, name: string, field: Field): RawBuilder<unknown> {
  const value = columnValue(scope, entity, name, field);
  if (!isReference(field)) return value;
  const target = scope.entities.named(field.to);
  if (!scope.rowCondition(target)) return value;
  return sql`(select seen.id from ${scope.rowsOf(target)} as seen where seen.id = ${value})`;
}
