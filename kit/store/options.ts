import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { whoSignsIn } from "../access/who-signs-in.ts";
import { type Entity, isReference, isReferences } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import type { Options, Typed, Values } from "../entity/typed.ts";
import type { Field } from "../fields/field.ts";
import { archiveConditions } from "./archive.ts";
import { where } from "./list/conditions.ts";
import { mostListed, mostOptions } from "./most-options.ts";
import { titledLinks } from "./titled-links.ts";

/** What the lookups of a form offer, and which of them have too many records to list. */
export interface Lookups {
  options: Options;
  many: ReadonlySet<string>;
}

/**
 * What the lookups of a form offer; what is chosen in them is always among it. `values` are those that are right so far,
 * by which some lookups offer less. However many records there are, no more than can be listed are looked at.
 */
export async function lookupsOf(
  scope: Scope,
  entity: Entity,
  typed: Typed,
  values: Values,
): Promise<Lookups> {
  const options: Record<string, readonly Link[]> = {};
  const many = new Set<string>();
  for (const [name, field] of Object.entries(entity.inputs)) {
    if (!isReference(field) && !isReferences(field)) continue;
    const chosen = (typed.get(name) ?? []).filter((id) => /^\d{1,15}$/.test(id)).map(Number);
    const target = scope.entities.named(field.to);
    const conditions = offerConditions(scope, entity, name, field, values);
    // What is offered by other fields changes while these are filled in.
    const depends = entity.conditionalFields.offered?.[name] !== undefined;
    const listed = depends ? [] : await firstIds(scope, target, conditions);
    if (depends || listed.length > mostListed) many.add(name);
    const ids = new Set([...(many.has(name) ? [] : listed), ...chosen]);
    options[name] = await linksTo(scope, target, [...ids]);
  }
  return { options, many };
}

/** The conditions for the records that a lookup offers, on the table of these. */
export function offerConditions(
  scope: Scope,
  entity: Entity,
  name: string,
  field: Field & { to: string },
  values: Values,
): RawBuilder<unknown>[] {
  const target = scope.entities.named(field.to);
  const id = sql.ref(`${target.table}.id`);
  const offered = entity.conditionalFields.offered?.[name];
  const signsIn = isReference(field) && field.signsIn;
  return [
    ...archiveConditions(target),
    ...(signsIn ? [sql`${id} in ${whoSignsIn(scope)}`] : []),
    ...(offered ? [offered({ ...values, [name]: id }, scope)] : []),
  ];
}

/** The numbers of some records that meet conditions: one more than can be listed, where there are so many. */
async function firstIds(
  scope: Scope,
  target: Entity,
  conditions: readonly RawBuilder<unknown>[],
): Promise<number[]> {
  const { table } = target;
  const { rows } = await sql<{ id: number }>`
    select ${sql.ref(`${table}.id`)} from ${scope.rowsOf(target)} as ${sql.table(table)}
    ${where(conditions)} limit ${sql.lit(mostListed + 1)}`.execute(scope.db);
  return rows.map(({ id }) => id);
}

/** Some records as links, by title. */
async function linksTo(scope: Scope, target: Entity, ids: readonly number[]): Promise<Link[]> {
  if (ids.length === 0) return [];
  return titledLinks(scope, target, [
    sql`${sql.ref(`${target.table}.id`)} in (${sql.join([...ids])})`,
  ]);
}

/** The records of an entity as links, by title. Those that are chosen are always among them. */
export async function linksOf(
  scope: Scope,
  entity: Entity,
  chosen: readonly number[],
): Promise<Link[]> {
  const first = await titledLinks(scope, entity, archiveConditions(entity), { most: mostOptions });
  const offered = new Set(first.map(({ id }) => id));
  const others = chosen.filter((id) => !offered.has(id));
  return [...(await linksTo(scope, entity, others)), ...first];
}
