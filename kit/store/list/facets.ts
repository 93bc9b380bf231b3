import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { bindValue } from "../../database/current-dialect.ts";
import { type Entity, isComputed, isReference, isReferences } from "../../entity/entity.ts";
import type { Field, ReferencesField } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { todayIn } from "../../formula/clock.ts";
import { toUtc } from "../../formula/zones.ts";
import { titleOf } from "../titles.ts";
import { type Condition, conditions, where } from "./conditions.ts";
import { bound, columnValue, type Filter, filterable, filtersOf } from "./filters.ts";
import type { ListRequest } from "./request.ts";
import { dayAfter } from "./spans.ts";

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
}

export interface FacetValue {
  value: string;
  /** What people read; undefined for what the field itself knows. */
  title?: string;
  count: number;
}

export interface Spread {
  from: string;
  to: string;
  /** How many rows are in each part. */
  parts: { from: string; to: string; count: number }[];
}

/** How many values of a reference are offered. */
const mostOffered = 12;

/** Into how many parts a range is cut. */
const parts = 12;

/** What the list of an entity can be filtered by. Each field takes one or two statements, however many rows there are. */
export async function facetsOf(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
): Promise<Facet[]> {
  const filters = filtersOf(scope, entity, request.query);
  const facets: Facet[] = [];
  for (const [name, field] of filterable(scope, entity)) {
    const wanted = conditions(scope, entity, request, name);
    const filter = filters.find((each) => each.field === name);
    const { values, more, blank } = await countsOf(scope, entity, name, field, wanted);
    const spread =
      typeOf(field).filter === "choices"
        ? undefined
        : await spreadOf(scope, entity, name, field, wanted);
    const mayBeBlank = !field.required || isComputed(field) || isReferences(field);
    facets.push({
      name,
      field,
      filter,
      values: await titled(scope, field, withChosen(values, filter)),
      more,
      blank: mayBeBlank ? blank : undefined,
      spread,
    });
  }
  return facets;
}

/** How many rows have each choice of a field, of those that the other filters keep. */
export async function choiceCounts(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  name: string,
): Promise<FacetValue[]> {
  const field = entity.fields[name];
  if (!field?.choices || scope.isHidden(entity, name)) return [];
  const wanted = conditions(scope, entity, request, name);
  return (await countsOf(scope, entity, name, field, wanted)).values;
}

interface Counts {
  values: FacetValue[];
  more: boolean;
  blank: number;
}

async function countsOf(
  scope: Scope,
  entity: Entity,
  name: string,
  field: Field,
  wanted: readonly Condition[],
): Promise<Counts> {
  const from = sql`${scope.rowsOf(entity)} as ${sql.table(entity.table)}`;
  if (isReferences(field)) return linkedCounts(scope, entity, field, wanted);
  const value = columnValue(scope, entity, name, field);
  if (typeOf(field).filter !== "choices") {
    const { rows } = await sql<{ blank: number }>`
      select count(*) - count(${value}) as blank from ${from} ${where(wanted)}`.execute(scope.db);
    return { values: [], more: false, blank: Number(rows[0]?.blank ?? 0) };
  }
  const { rows } = await sql<{ value: unknown; total: number }>`
    select ${value} as value, count(*) as total from ${from} ${where(wanted)}
    group by ${value} order by total desc limit ${sql.lit(200)}`.execute(scope.db);
  const blank = Number(rows.find((row) => row.value === null)?.total ?? 0);
  const counts = rows
    .filter((row) => row.value !== null)
    .map((row) => ({ value: textOf(field, row.value), count: Number(row.total) }));
  if (isReference(field)) {
    return { values: counts.slice(0, mostOffered), more: counts.length > mostOffered, blank };
  }
  // Choices stand in the order of the model, also those that no row has.
  const known = field.choices ? Object.keys(field.choices) : ["yes", "no"];
  const values = known.map((each) => ({
    value: each,
    count: counts.find((found) => found.value === each)?.count ?? 0,
  }));
  return { values, more: false, blank };
}

function textOf(field: Field, value: unknown): string {
  if (field.kind === "boolean") return value ? "yes" : "no";
  return String(value);
}

async function linkedCounts(
  scope: Scope,
  entity: Entity,
  { through, to }: ReferencesField,
  wanted: readonly Condition[],
): Promise<Counts> {
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

/** How the values of a field spread from the least to the largest; undefined where there are no two. */
async function spreadOf(
  scope: Scope,
  entity: Entity,
  name: string,
  field: Field,
  wanted: readonly Condition[],
): Promise<Spread | undefined> {
  const value = columnValue(scope, entity, name, field);
  const from = sql`${scope.rowsOf(entity)} as ${sql.table(entity.table)}`;
  const { rows } = await sql<{ least: unknown; largest: unknown }>`
    select min(${value}) as least, max(${value}) as largest from ${from} ${where(wanted)}`.execute(
    scope.db,
  );
  const { least, largest } = rows[0] ?? {};
  if (least === null || least === undefined || String(least) === String(largest)) return undefined;
  const { filter } = typeOf(field);
  const cuts =
    filter === "numbers"
      ? numberCuts(Number(least), Number(largest))
      : dayCuts(dayOf(scope, least), dayOf(scope, largest));
  const edge = (cut: string) =>
    filter === "moments"
      ? bindValue("datetime", toUtc(scope.timezone, `${cut}T00:00`))
      : bound(filter === "numbers" ? Number(cut) : cut);
  const columns = cuts.map(({ from: start, end }, at): RawBuilder<unknown> => {
    const upper = at === cuts.length - 1 ? sql`` : sql` and ${value} < ${edge(end)}`;
    return sql`sum(case when ${value} >= ${edge(start)}${upper} then 1 else 0 end) as ${sql.id(`part${at}`)}`;
  });
  const counted = await sql<Record<string, number>>`
    select ${sql.join(columns)} from ${from} ${where(wanted)}`.execute(scope.db);
  const row = counted.rows[0] ?? {};
  return {
    from: cuts[0]?.from ?? "",
    to: cuts.at(-1)?.to ?? "",
    parts: cuts.map(({ from: start, to }, at) => ({
      from: start,
      to,
      count: Number(row[`part${at}`] ?? 0),
    })),
  };
}

/** A part of a range: from its first value to its last one; `end` is where the next part begins. */
interface Cut {
  from: string;
  to: string;
  end: string;
}

/** A range of numbers in parts of a round width. */
function numberCuts(least: number, largest: number): Cut[] {
  const rough = (largest - least) / parts;
  const power = 10 ** Math.floor(Math.log10(rough));
  const width = ([1, 2, 5, 10].find((each) => each * power >= rough) ?? 10) * power;
  const places = Math.max(0, -Math.floor(Math.log10(width)));
  const start = Math.floor(least / width) * width;
  const cuts: Cut[] = [];
  for (let at = 0; start + at * width <= largest; at++) {
    const [from, end] = [start + at * width, start + (at + 1) * width];
    cuts.push({ from: from.toFixed(places), to: end.toFixed(places), end: end.toFixed(places) });
  }
  return cuts;
}

/** A range of days in parts of as many days. */
function dayCuts(first: string, last: string): Cut[] {
  const days = (Date.parse(`${last}T00:00:00Z`) - Date.parse(`${first}T00:00:00Z`)) / 86_400_000;
  const width = Math.max(1, Math.ceil((days + 1) / parts));
  const cuts: Cut[] = [];
  for (let day = first; day <= last; day = dayAfter(day, width)) {
    const end = dayAfter(day, width);
    cuts.push({ from: day, to: dayAfter(end, -1), end });
  }
  return cuts;
}

/** The day of a date or of a moment. */
function dayOf({ timezone }: Scope, value: unknown): string {
  const text = String(value);
  return text.length === 10 ? text : todayIn(timezone, text);
}
