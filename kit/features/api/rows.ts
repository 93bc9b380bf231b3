import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference, isReferences, type Row } from "../../entity/entity.ts";
import type { Link } from "../../entity/links.ts";
import { rowsWith } from "../../store/list/every.ts";
import { givingOf, linkJson } from "./json-values.ts";
import { always, linkName, seenFields } from "./shapes.ts";

/** What of a row is told. */
interface Told {
  only: ReadonlySet<string> | undefined;
  along: readonly string[];
}

/** Makes of rows what JSON has of them. */
export type Telling = (row: Row) => Record<string, unknown>;

/** How the rows of an entity are told to a person: which members they have, in which order. */
export function telling(scope: Scope, entity: Entity, only?: ReadonlySet<string>): Telling {
  const isTold = (name: string) => !only || only.has(name);
  const first = Object.keys(always).filter(
    (name) => name === "id" || name === "version" || isTold(name),
  );
  const members = seenFields(scope, entity).flatMap(([name, field]) => {
    const give = givingOf(field);
    const own = isTold(name) ? [{ name, tell: (row: Row) => give(row[name]) }] : [];
    const link = linkName(name);
    if (!isReference(field) || !isTold(link)) return own;
    return [...own, { name: link, tell: (row: Row) => linkOrNull(row[link]) }];
  });
  // All rows begin as copies of one, which is faster than adding their members one by one.
  const blank = Object.fromEntries(
    [...first, ...members.map(({ name }) => name)].map((name) => [name, null]),
  );
  return (row) => {
    const told: Record<string, unknown> = { ...blank };
    for (const name of first) told[name] = row[name];
    for (const { name, tell } of members) told[name] = tell(row);
    return told;
  };
}

function linkOrNull(link: unknown) {
  return link ? linkJson(link as Link) : null;
}

/** Rows as they are told, those with whatever comes along asked for once for all of them. */
export async function toldRows(
  scope: Scope,
  entity: Entity,
  rows: readonly Row[],
  { only, along }: Told,
): Promise<Record<string, unknown>[]> {
  const wanted = only && along.length > 0 ? new Set([...only, ...along]) : only;
  const told = rows.map(telling(scope, entity, wanted));
  for (const name of along) {
    const field = entity.fields[`${name}_id`] ?? entity.fields[name];
    if (!field || !(isReference(field) || isReferences(field))) continue;
    const target = scope.entities.named(field.to);
    const linked = (row: Record<string, unknown>) => [row[name]].flat() as (Link | null)[];
    const ids = new Set(told.flatMap((row) => linked(row).flatMap((link) => link?.id ?? [])));
    const found = new Map<number, Record<string, unknown>>();
    const tell = telling(scope, target);
    for await (const some of rowsWith(scope, target, [...ids])) {
      for (const each of some) found.set(each.id, tell(each));
    }
    const whole = (link: Link | null) => (link && found.get(link.id)) ?? link;
    for (const row of told) {
      row[name] = isReference(field) ? whole(linked(row)[0] ?? null) : linked(row).map(whole);
    }
  }
  return told;
}
