import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { exactly } from "../../database/current-dialect.ts";
import { type Entity, isComputed, isReference, isReferences } from "../../entity/entity.ts";
import type { Field, ReferencesField } from "../../fields/field.ts";
import { tagsIn } from "../../fields/tags.tsx";
import { typeOf } from "../../fields/types.ts";
import { archiveChoice } from "../archive.ts";
import { titleOf } from "../titles.ts";
import { type Condition, conditions, countRows, mostCounted, where } from "./conditions.ts";
import { type Counted, type FacetValue, isValue, type Spread } from "./counted.ts";
import { cutsOf, isBelow } from "./cuts.ts";
import { columnValue, type Filter, filterable, filtersOf } from "./filters.ts";
import { countedByIndex, endsByIndex, isCountedByIndex } from "./index-counts.ts";
import type { ListRequest } from "./request.ts";
import { estimated, type RowsToCount, rowsToCount } from "./rows-to-count.ts";
import { countWhere, Sums } from "./sums.ts";

/** What a list can be filtered by in one field, with the number of rows behind each, of those that the other filters keep. */
export interface Facet {
  name: string;
  field: Field;
  /** What the address says of the field. */
  filter: Filter | undefined;
  /** The values that most rows have, and those that are chosen. */
  values: FacetValue[];
  /** Whether there are values besides those. */
  more: boolean;
  /** How many rows have nothing in the field; undefined where none can. */
  blank: number | undefined;
  /** How the rows spread over a range, in equal parts. */
  spread: Spread | undefined;
  /** For how many rows each one that was counted stands: 1 where all were. */
  each: number;
}

/** How many values of a reference are offered. */
const mostOffered = 12;

/**
 * What the list of an entity can be filtered by. The fields that no filter is about are counted together, in two
 * statements; references take one each. Where very many rows would have to be counted, a sample of them is, unless the
 * address says otherwise.
 */
export async function facetsOf(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
): Promise<Facet[]> {
  const filters = filtersOf(scope, entity, request.query);
  const fields = filterable(scope, entity);
  const filterOf = (name: string) => filters.find(({ field }) => field === name);
  const counts = new Map<string, Counted>();
  const isWhole =
    request.countsAll &&
    archiveChoice(entity, request.query) === "all" &&
    (await conditions(scope, entity, request)).length === 0;
  const whole = isWhole ? await countLong(scope, entity) : 0;
  if (whole > 0) {
    for (const [name, field] of fields) {
      if (!isCountedByIndex(entity, name, field)) continue;
      counts.set(name, await countedByIndex(scope, entity, name, field, whole));
    }
  }
  const left = fields.filter(([name]) => !counts.has(name));
  const alone = left.filter(([name]) => filterOf(name)).map((field) => [field]);
  for (const some of [left.filter(([name]) => !filterOf(name)), ...alone]) {
    if (some.length === 0) continue;
    const wanted = await conditions(scope, entity, request, some[0]?.[0]);
    const rows = request.countsAll
      ? { conditions: wanted, each: 1 }
      : await rowsToCount(scope, entity, wanted);
    for (const [name, counted] of await countTogether(scope, entity, some, rows))
      counts.set(name, estimated(counted, rows));
  }
  const facets: Facet[] = [];
  for (const [name, field] of fields) {
    const { values = [], more = false, blank = 0, spread, each = 1 } = counts.get(name) ?? {};
    const filter = filterOf(name);
    const mayBeBlank = !field.required || isComputed(field) || isReferences(field);
    facets.push({
      name,
      field,
      filter,
      values: await titled(scope, field, withChosen(values, filter)),
      more,
      blank: mayBeBlank ? blank : undefined,
      spread,
      each,
    });
  }
  return facets;
}

/** How many rows there are, where nothing narrows them and they are very many; 0 otherwise. */
async function countLong(scope: Scope, entity: Entity): Promise<number> {
  if (!scope.seesAll(entity)) return 0;
  const isLong = (await countRows(scope, entity, [], mostCounted + 1)) > mostCounted;
  return isLong ? countRows(scope, entity, []) : 0;
}

/** Counts the values of some fields among the same rows. */
async function countTogether(
  scope: Scope,
  entity: Entity,
  fields: readonly (readonly [string, Field])[],
  { conditions: wanted, each }: RowsToCount,
): Promise<Map<string, Counted>> {
  const counted = new Map<string, Counted>();
  const sums = new Sums(scope, entity, wanted);
  const ready: (() => void)[] = [];
  const ranges: [string, Field][] = [];
  for (const [name, field] of fields) {
    const value = columnValue(scope, entity, name, field);
    if (isReferences(field)) {
      counted.set(name, await linkedCounts(scope, entity, field, wanted));
    } else if (isReference(field)) {
      counted.set(name, await referenceCounts(scope, entity, value, wanted));
    } else if (typeOf(field).filter === "tags") {
      counted.set(name, await tagCounts(scope, entity, value, wanted));
    } else if (typeOf(field).filter === "choices") {
      const known = field.choices ? Object.keys(field.choices) : ["yes", "no"];
      const filled = sums.add(sql`count(${value})`);
      const each = known.map(
        (text) => [text, sums.add(countWhere(isValue(field, value, text)))] as const,
      );
      ready.push(() =>
        counted.set(name, {
          values: each.map(([text, count]) => ({ value: text, count: Number(count() ?? 0) })),
          blank: sums.total() - Number(filled() ?? 0),
        }),
      );
    } else ranges.push([name, field]);
  }
  const ends = ranges.map(([name, field]) => {
    const value = columnValue(scope, entity, name, field);
    const [filled, least, largest] = ["count", "min", "max"].map((operation) =>
      sums.add(sql`${sql.raw(operation)}(${value})`),
    );
    return { name, field, value, filled, least, largest };
  });
  await sums.run();
  for (const each of ready) each();
  const parts = new Sums(scope, entity, wanted);
  const extremes =
    each > 1 ? await extremesOf(scope, entity, ranges) : new Map<string, unknown[]>();
  const spreads = ends.map(({ name, field, value, filled, least, largest }) => {
    const total = Number(filled?.() ?? 0);
    const [lowest, highest] = extremes.get(name) ?? [least?.(), largest?.()];
    const cuts = cutsOf(scope, field, lowest, highest);
    // How many rows are below the end of each part: one comparison a row, where two would be needed for the part itself.
    const below = cuts
      .slice(0, -1)
      .map((cut) => parts.add(countWhere(isBelow(scope, field, value, cut))));
    return { name, total, cuts, below };
  });
  await parts.run();
  for (const { name, total, cuts, below } of spreads) {
    const ends = [...below.map((count) => Number(count() ?? 0)), total];
    const spread = cuts.map(({ from, to }, at) => {
      return { from, to, count: (ends[at] ?? 0) - (ends[at - 1] ?? 0) };
    });
    counted.set(name, {
      blank: sums.total() - total,
      spread: spread.length === 0 ? undefined : { parts: spread },
    });
  }
  return counted;
}

/** Least and largest of some fields among all rows, which a sample may not have; of those with an index, which knows it. */
async function extremesOf(
  scope: Scope,
  entity: Entity,
  fields: readonly (readonly [string, Field])[],
): Promise<Map<string, unknown[]>> {
  const found = new Map<string, unknown[]>();
  if (!scope.seesAll(entity)) return found;
  for (const [name, field] of fields) {
    if (isCountedByIndex(entity, name, field))
      found.set(name, await endsByIndex(scope, entity, columnValue(scope, entity, name, field)));
  }
  return found;
}

/**
 * How many rows have each choice of a field, of those that the other filters keep; counted no further than `most`, where
 * that is given.
 */
export async function choiceCounts(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  name: string,
  most?: number,
): Promise<FacetValue[]> {
  const field = entity.fields[name];
  if (!field?.choices || scope.isHidden(entity, name)) return [];
  const wanted = await conditions(scope, entity, request, name);
  if (most === undefined) {
    const counted = await countTogether(scope, entity, [[name, field]], {
      conditions: wanted,
      each: 1,
    });
    return counted.get(name)?.values ?? [];
  }
  const value = columnValue(scope, entity, name, field);
  const values: FacetValue[] = [];
  for (const text of Object.keys(field.choices)) {
    const has = isValue(field, value, text) as unknown as Condition;
    const count = await countRows(scope, entity, [...wanted, has], most + 1);
    values.push({ value: text, count: Math.min(count, most), more: count > most });
  }
  return values;
}

/** How many rows refer to each of the records to which most do. */
async function referenceCounts(
  scope: Scope,
  entity: Entity,
  value: RawBuilder<unknown>,
  wanted: readonly Condition[],
): Promise<Counted> {
  const { rows } = await sql<{ value: number | null; total: number }>`
    select ${value} as value, count(*) as total
    from ${scope.rowsOf(entity)} as ${sql.table(entity.table)} ${where(wanted)}
    group by ${value} order by total desc limit ${sql.lit(mostOffered + 2)}`.execute(scope.db);
  const filled = rows.filter((row) => row.value !== null);
  const blank = rows.find((row) => row.value === null);
  const isMissing = !blank && rows.length > mostOffered + 1;
  return {
    values: filled
      .slice(0, mostOffered)
      .map((row) => ({ value: String(row.value), count: Number(row.total) })),
    more: filled.length > mostOffered,
    blank: isMissing ? await blanksOf(scope, entity, value, wanted) : Number(blank?.total ?? 0),
  };
}

/** The most different combinations of tags that are counted. */
const mostCombined = 5000;

/** How many rows have each of the tags that most have. */
async function tagCounts(
  scope: Scope,
  entity: Entity,
  value: RawBuilder<unknown>,
  wanted: readonly Condition[],
): Promise<Counted> {
  const { rows } = await sql<{ held: string | null; total: number }>`
    select ${exactly(value)} as held, count(*) as total
    from ${scope.rowsOf(entity)} as ${sql.table(entity.table)} ${where(wanted)}
    group by ${exactly(value)} order by total desc limit ${sql.lit(mostCombined)}`.execute(
    scope.db,
  );
  const counts = new Map<string, number>();
  for (const { held, total } of rows) {
    for (const tag of held === null ? [] : tagsIn(held)) {
      counts.set(tag, (counts.get(tag) ?? 0) + Number(total));
    }
  }
  const values = [...counts]
    .map(([tag, count]) => ({ value: tag, count }))
    .sort((one, other) => other.count - one.count || (one.value < other.value ? -1 : 1));
  const blank = rows.find(({ held }) => held === null);
  return {
    values: values.slice(0, mostOffered),
    more: values.length > mostOffered,
    blank: Number(blank?.total ?? 0),
  };
}

/** How many rows refer to nothing, where that isn't among the most frequent. */
async function blanksOf(
  scope: Scope,
  entity: Entity,
  value: RawBuilder<unknown>,
  wanted: readonly Condition[],
): Promise<number> {
  const { rows } = await sql<{ total: number }>`
    select count(*) as total from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
    ${where([...wanted, sql<SqlBool>`${value} is null`])}`.execute(scope.db);
  return Number(rows[0]?.total ?? 0);
}

async function linkedCounts(
  scope: Scope,
  entity: Entity,
  { through, to }: ReferencesField,
  wanted: readonly Condition[],
): Promise<Counted> {
  const { table } = entity;
  const kept = sql`select ${sql.ref(`${table}.id`)} from ${scope.rowsOf(entity)} as ${sql.table(table)} ${where(wanted)}`;
  const seen = sql`select seen.id from ${scope.rowsOf(scope.entities.named(to))} as seen`;
  const links = sql`${scope.rows(through.table)} as links`;
  const [own, other] = [sql.ref(`links.${through.from}`), sql.ref(`links.${through.to}`)];
  const { rows } = await sql<{ value: number; total: number }>`
    select ${other} as value, count(*) as total from ${links}
    where ${own} in (${kept}) and ${other} in (${seen})
    group by ${other} order by total desc limit ${sql.lit(mostOffered + 1)}`.execute(scope.db);
  const without = sql<SqlBool>`${sql.ref(`${table}.id`)} not in (select ${own} from ${links} where ${other} in (${seen}))`;
  const { rows: blanks } = await sql<{ blank: number }>`
    select count(*) as blank from ${scope.rowsOf(entity)} as ${sql.table(table)}
    ${where([...wanted, without])}`.execute(scope.db);
  const values = rows.map((row) => ({ value: String(row.value), count: Number(row.total) }));
  return {
    values: values.slice(0, mostOffered),
    more: values.length > mostOffered,
    blank: Number(blanks[0]?.blank ?? 0),
  };
}

/** With the values that are chosen, also where no row is left that has them. */
function withChosen(values: readonly FacetValue[], filter: Filter | undefined): FacetValue[] {
  const chosen = (filter?.parts ?? []).filter(({ means }) => means === "value");
  const missing = chosen.filter(({ value }) => !values.some((each) => each.value === value));
  return [...values, ...missing.map(({ value }) => ({ value, count: 0 }))];
}

/** With the titles of records. */
async function titled(
  scope: Scope,
  field: Field,
  values: readonly FacetValue[],
): Promise<FacetValue[]> {
  if (!(isReference(field) || isReferences(field)) || values.length === 0) return [...values];
  const ids = values.flatMap(({ value }) => (value === "me" ? [] : [Number(value)]));
  const titles = await titlesOf(scope, scope.entities.named(field.to), ids);
  return values.flatMap((each) => {
    const title = each.value === "me" ? scope.messages.me : titles.get(Number(each.value));
    return title === undefined ? [] : [{ ...each, title }];
  });
}

/** What some records are called, by their numbers; those out of sight are missing. */
export async function titlesOf(
  scope: Scope,
  entity: Entity,
  ids: readonly number[],
): Promise<ReadonlyMap<number, string>> {
  if (ids.length === 0) return new Map();
  const { table } = entity;
  const { rows } = await sql<{ id: number; title: string }>`
    select ${sql.ref(`${table}.id`)}, ${titleOf(scope, entity, table)} as title
    from ${scope.rowsOf(entity)} as ${sql.table(table)}
    where ${sql.ref(`${table}.id`)} in (${sql.join([...ids])})`.execute(scope.db);
  return new Map(rows.map(({ id, title }) => [id, title]));
}
