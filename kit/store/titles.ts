import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { orderTerm, written } from "../database/current-dialect.ts";
import { type Entity, isReference } from "../entity/entity.ts";
import { isOrderedByLetters, typeOf } from "../fields/types.ts";
import { byTitle } from "./order.ts";

/** What the records of an entity are called, in SQL; `row` is its table or alias in the statement. */
export function titleOf(scope: Scope, entity: Entity, row: string): RawBuilder<string> {
  const plain = plainTitle(entity);
  if (plain) return sql.ref(`${row}.${plain}`);
  const parts = entity.titleParts.map((part) =>
    "words" in part ? sql.lit(part.words) : titlePart(scope, entity, row, part.field),
  );
  const numbered = sql`concat_ws(' ', ${sql.lit(scope.namesOf(entity).heading)}, ${sql.ref(`${row}.id`)})`;
  if (parts.length === 0) return sql<string>`${numbered}`;
  return sql<string>`coalesce(nullif(trim(concat_ws('', ${sql.join(parts)})), ''), ${numbered})`;
}

/** The column that is the title as it is; undefined where the title is made of several, or may be empty. */
export function plainTitle(entity: Entity): string | undefined {
  const [only, ...more] = entity.titleParts;
  if (!only || "words" in only || more.length > 0) return undefined;
  const field = entity.fields[only.field];
  const isText = field?.required && typeOf(field).textual && !isReference(field);
  return isText && field.kind !== "color" ? only.field : undefined;
}

/** The order of records by their titles, and by number where these are the same; by an index, where the title is a column. */
export function titleOrder(entity: Entity): RawBuilder<unknown> {
  const plain = plainTitle(entity);
  const field = plain === undefined ? undefined : entity.fields[plain];
  if (!field) return byTitle;
  const { table } = entity;
  const term = orderTerm(`${table}.${plain}`, false, isOrderedByLetters(field));
  return sql`${term}, ${sql.ref(`${table}.id`)}`;
}

/** A column as part of a title; what isn't text is written as the forms write it. */
function titlePart(scope: Scope, entity: Entity, row: string, name: string): RawBuilder<unknown> {
  const field = entity.fields[name];
  if (!field) throw new Error(`${entity.table} has no field ${name} for its title.`);
  const column = `${row}.${name}`;
  if (isReference(field)) return titleThrough(scope, scope.entities.named(field.to), column);
  const { written: kind } = typeOf(field);
  return kind ? written(column, kind) : sql.ref(column);
}

/** The title of the record that a reference column points at, in SQL; null where it points at none that is in sight. */
export function titleThrough(
  scope: Scope,
  target: Entity,
  reference: string,
): RawBuilder<string | null> {
  const row = reference.replace(".", "_");
  return sql<
    string | null
  >`(select ${titleOf(scope, target, row)} from ${scope.rowsOf(target)} as ${sql.table(row)} where ${sql.ref(`${row}.id`)} = ${sql.ref(reference)})`;
}

/** The property with the title of a reference among the columns of a query: `apiaryTitle`. */
export function titleProperty(name: string): string {
  const words = name.replace(/_id$/, "").split("_");
  const camel = words.map((word, at) =>
    at === 0 ? word : word.charAt(0).toUpperCase() + word.slice(1),
  );
  return `${camel.join("")}Title`;
}
