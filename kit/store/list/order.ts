import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { orderTerm } from "../../database/current-dialect.ts";
import { type Entity, isComputed, isReference } from "../../entity/entity.ts";
import { isOrderedByLetters, typeOf } from "../../fields/types.ts";
import { titleProperty, titleThrough } from "../titles.ts";

/** The most columns that a list is sorted by at once. */
const mostKeys = 4;

/**
 * The order in force: what the address asks for, or that of the entity. Each is a name, with `-` for descending.
 * Nobody finds out by an order what they don't see.
 */
export function orderKeys(scope: Scope, entity: Entity, sort: string): readonly string[] {
  const isSeen = (key: string) => {
    const name = columnNamed(entity, key.replace(/^-/, ""));
    return sortOf(entity, name) !== undefined && !scope.isHidden(entity, name);
  };
  const asked = sort.split(",", 100).filter(isSeen).slice(0, mostKeys);
  return asked.length > 0 ? asked : entity.order.filter(isSeen);
}

/** A column that rows are ordered by. */
export interface Term {
  column: string;
  descending: boolean;
  text: boolean;
}

export function orderBy(terms: readonly Term[], reversed = false): RawBuilder<unknown> {
  return sql.join(
    terms.map(({ column, descending, text }) => orderTerm(column, descending !== reversed, text)),
  );
}

/** What a list is sorted by. */
export interface Sort {
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
export function columnNamed({ fields }: Entity, name: string): string {
  const reference = Object.hasOwn(fields, `${name}_id`) ? fields[`${name}_id`] : undefined;
  return reference && isReference(reference) ? `${name}_id` : name;
}

/** What a list is sorted by for a name in its address; undefined where it can't be. */
export function sortOf(entity: Entity, given: string): Sort | undefined {
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

/** A column of the picked rows that they are ordered by; no field is called so. */
export function sortColumn(at: number): string {
  return `-${at}`;
}
