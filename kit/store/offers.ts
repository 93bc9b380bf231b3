import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { beginsWith } from "../database/current-dialect.ts";
import { type Entity, isReference, isReferences } from "../entity/entity.ts";
import type { Values } from "../entity/typed.ts";
import { longestSearch } from "./list/request.ts";
import { titleMatches } from "./list/search.ts";
import { offerConditions } from "./options.ts";
import { titledLinks } from "./titled-links.ts";
import { plainTitle, titleOrder } from "./titles.ts";

/** How many records are offered at once, and how many of the last records are looked at for those that were used last. */
const most = { offered: 12, recent: 5, lookedAt: 50 } as const;

/** A record that can be chosen. */
export interface Offer {
  id: number;
  title: string;
}

/**
 * The first records by title that a reference can be set to and whose titles have some words; without words, those first
 * that the last records have. None for other fields. `values` are those that the form has besides.
 */
export async function offersOf(
  scope: Scope,
  entity: Entity,
  name: string,
  asked: string,
  values: Values = {},
): Promise<Offer[]> {
  const field = Object.hasOwn(entity.inputs, name) ? entity.inputs[name] : undefined;
  if (!field || scope.isHidden(entity, name)) return [];
  if (!isReference(field) && !isReferences(field)) return [];
  const target = scope.entities.named(field.to);
  if (!scope.may("see", target)) return [];
  const { table } = target;
  const words = asked.replaceAll("\0", "").trim().slice(0, longestSearch);
  const id = sql.ref(`${table}.id`);
  const conditions = offerConditions(scope, entity, name, field, values);
  const offers: Offer[] = [];
  /** Adds the first records that meet some more conditions, as long as there is room. */
  const add = async (limits: readonly RawBuilder<unknown>[]): Promise<void> => {
    if (offers.length >= most.offered) return;
    const rows = await titledLinks(scope, target, [...conditions, ...limits], {
      most: most.offered,
      order: titleOrder(target),
    });
    const there = new Set(offers.map((offer) => offer.id));
    const others = rows.filter((row) => !there.has(row.id));
    offers.push(...others.map((row) => ({ id: row.id, title: row.displayTitle })));
  };
  if (words === "") {
    const recent = isReference(field) ? await usedLast(scope, entity, name) : [];
    if (recent.length > 0) await add([sql`${id} in (${sql.join(recent)})`]);
    offers.sort((one, other) => recent.indexOf(one.id) - recent.indexOf(other.id));
    await add([]);
  } else {
    // Those that begin with the words are found by the index of titles, however many records there are.
    const plain = plainTitle(target);
    const begins = plain && beginsWith(`${table}.${plain}`, words);
    if (begins) await add([begins]);
    await add(await titleMatches(scope, target, words));
  }
  return offers.slice(0, most.offered);
}

/** The records that the last records refer to, the last one first. */
async function usedLast(scope: Scope, entity: Entity, name: string): Promise<number[]> {
  const { table } = entity;
  const { rows } = await sql<{ used: number | null }>`
    select ${sql.ref(`${table}.${name}`)} as used
    from ${scope.rowsOf(entity)} as ${sql.table(table)}
    order by ${sql.ref(`${table}.id`)} desc limit ${sql.lit(most.lookedAt)}`.execute(scope.db);
  const used = rows.flatMap(({ used }) => (used === null ? [] : [Number(used)]));
  return [...new Set(used)].slice(0, most.recent);
}
