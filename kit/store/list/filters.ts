import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { bindValue, holdsExactly } from "../../database/current-dialect.ts";
import { type Entity, isComputed, isReference, isReferences } from "../../entity/entity.ts";
import { isDate } from "../../fields/date.ts";
import type { Field, ReferencesField } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { dayAfter } from "../../formula/periods.ts";
import { toUtc } from "../../formula/zones.ts";
import { ownParameters } from "./request.ts";
import { type Days, daysOf, isSpan, type Span } from "./spans.ts";

/** What an address says of one field, of which a list keeps some records: `?status=active&frames.from=3&removed.blank=yes`. */
export interface Filter {
  /** The name of the field. */
  field: string;
  /** What all of its rows meet. */
  conditions: RawBuilder<SqlBool>[];
  /** Each part of it, as it stands in the address. */
  parts: FilterPart[];
}

export interface FilterPart {
  parameter: string;
  value: string;
  means: "value" | "from" | "to" | "blank" | "span";
}

/** The most values of a field that a filter keeps. */
const mostValues = 100;

/** The parameter of an address that filters by a field: `status`, or `sort.` where a list reads `sort` itself. */
export function filterParameter(name: string): string {
  return ownParameters.has(name) ? `${name}.` : name;
}

/** The fields by which a person can filter, by their names. */
export function filterable(scope: Scope, entity: Entity): [string, Field][] {
  return Object.entries(entity.fields).filter(
    ([name, field]) => isFilter(field) && !scope.isHidden(entity, name),
  );
}

function isFilter(field: Field): boolean {
  const { filter } = typeOf(field);
  return filter === "presence" ? !field.required : filter !== "none";
}

/** The filters of an address; whatever makes no sense is left out. */
export function filtersOf(scope: Scope, entity: Entity, query: URLSearchParams): Filter[] {
  if (query.size === 0) return [];
  return filterable(scope, entity).flatMap(([name, field]) => {
    const parts = partsOf(scope, field, filterParameter(name), query);
    if (parts.length === 0) return [];
    const value = columnValue(scope, entity, name, field);
    const isBlank = parts.some(({ means }) => means === "blank");
    const others = parts.filter(({ means }) => means !== "blank");
    const blank = isBlank ? [blankCondition(scope, entity, field, value)] : [];
    const kept = others.length > 0 ? [keeping(scope, entity, field, value, others)] : [];
    return [{ field: name, conditions: [anyOf([...blank, ...kept])], parts }];
  });
}

function anyOf(conditions: readonly RawBuilder<SqlBool>[]): RawBuilder<SqlBool> {
  const [only, ...more] = conditions;
  // No brackets around brackets: SQLite reads a hundred of them at most.
  if (only && more.length === 0) return only;
  return sql<SqlBool>`(${sql.join([...conditions], sql` or `)})`;
}

/** What a row has in a field, in SQL. */
export function columnValue(
  scope: Scope,
  { table }: Entity,
  name: string,
  field: Field,
): RawBuilder<unknown> {
  return isComputed(field) ? field.formula(scope) : sql.ref(`${table}.${name}`);
}

/** What an address says of a field, as far as it makes sense. */
function partsOf(scope: Scope, field: Field, name: string, query: URLSearchParams): FilterPart[] {
  const { filter } = typeOf(field);
  const parts: FilterPart[] = [];
  const isValue = filter === "numbers" ? isNumber : isDate;
  if (filter === "choices" || filter === "tags") {
    for (const value of new Set(query.getAll(name).slice(0, mostValues))) {
      if (isChoice(scope, field, value)) parts.push({ parameter: name, value, means: "value" });
    }
  } else if (filter !== "presence") {
    for (const means of ["from", "to"] as const) {
      const parameter = `${name}.${means}`;
      const value = (query.get(parameter) ?? "").trim();
      if (value.length <= 40 && isValue(value)) parts.push({ parameter, value, means });
    }
    const span = query.get(name) ?? "";
    if (filter !== "numbers" && isSpan(span))
      parts.push({ parameter: name, value: span, means: "span" });
  }
  const blank = `${name}.blank`;
  if (query.get(blank) === "yes" && (!field.required || isComputed(field) || isReferences(field)))
    parts.push({ parameter: blank, value: "yes", means: "blank" });
  return parts;
}

function isNumber(text: string): boolean {
  return /^-?\d{1,15}(\.\d{1,9})?$/.test(text);
}

function isChoice({ access }: Scope, field: Field, value: string): boolean {
  if (field.kind === "tags") return value.trim() !== "" && /^[^,;\n]{1,80}$/.test(value);
  if (field.choices) return Object.hasOwn(field.choices, value);
  if (field.kind === "boolean") return value === "yes" || value === "no";
  const isMe = value === "me" && "to" in field && field.to === access?.record;
  return isMe || /^\d{1,15}$/.test(value);
}

function blankCondition(
  scope: Scope,
  entity: Entity,
  field: Field,
  value: RawBuilder<unknown>,
): RawBuilder<SqlBool> {
  return isReferences(field)
    ? sql<SqlBool>`not ${linked(scope, entity, field)}`
    : sql<SqlBool>`${value} is null`;
}

/** That a record has another one in a field that holds many: any that is in sight, or one by its number. */
function linked(
  scope: Scope,
  { table }: Entity,
  { through, to }: ReferencesField,
  id?: number,
): RawBuilder<SqlBool> {
  const target = scope.entities.named(to);
  const other = sql.ref(through.to);
  const own = sql.ref(`${table}.id`);
  const links = sql`select ${sql.ref(through.from)} from ${scope.rows(through.table)} as links`;
  if (id === undefined) {
    return sql<SqlBool>`${own} in (${links} where 1 = 1${onlySeen(scope, target, other)})`;
  }
  // Whether it is in sight is asked beside the links, not within them: rights nest deep enough for SQLite.
  return sql<SqlBool>`${own} in (${links} where ${other} = ${id})${onlySeen(scope, target, sql`${id}`)}`;
}

/** The condition that records are ones that the person may see: whose they are can't be found out by filtering. */
function onlySeen(scope: Scope, target: Entity, id: RawBuilder<unknown>): RawBuilder<unknown> {
  if (!scope.rowCondition(target)) return sql``;
  return sql` and ${id} in (select seen.id from ${scope.rowsOf(target)} as seen)`;
}

/** That a row has one of the values, or is in the range. */
function keeping(
  scope: Scope,
  entity: Entity,
  field: Field,
  value: RawBuilder<unknown>,
  parts: readonly FilterPart[],
): RawBuilder<SqlBool> {
  if (isReference(field) || isReferences(field)) {
    const ids = parts.map((part) => (part.value === "me" ? scope.me : Number(part.value)));
    if (isReferences(field)) return anyOf(ids.map((id) => linked(scope, entity, field, id)));
    const seen = onlySeen(scope, scope.entities.named(field.to), value);
    return sql<SqlBool>`${value} in (${sql.join(ids)})${seen}`;
  }
  if (field.kind === "boolean") {
    return anyOf(parts.map((part) => (part.value === "yes" ? sql`${value}` : sql`not ${value}`)));
  }
  const { filter } = typeOf(field);
  if (filter === "tags") return anyOf(parts.map((part) => hasTag(value, part.value)));
  if (filter === "choices")
    return sql<SqlBool>`${value} in (${sql.join(parts.map((part) => part.value))})`;
  const given = (means: FilterPart["means"]) => parts.find((part) => part.means === means)?.value;
  if (filter === "numbers") {
    const [from, to] = [given("from"), given("to")];
    return between(value, {
      ...(from !== undefined && { from: Number(from) }),
      ...(to !== undefined && { to: Number(to) }),
    });
  }
  const days = { from: given("from"), to: given("to") };
  const span = given("span");
  const ranges = [days, ...(isSpan(span ?? "") ? [daysOf(span as Span, scope.today)] : [])];
  return sql<SqlBool>`(${sql.join(
    ranges
      .filter(({ from, to }) => from ?? to)
      .map((range) => (filter === "days" ? between(value, range) : during(scope, value, range))),
    sql` and `,
  )})`;
}

/** That a text of tags has one. */
export function hasTag(value: RawBuilder<unknown>, tag: string): RawBuilder<SqlBool> {
  return holdsExactly(sql`concat(', ', ${value}, ',')`, `, ${tag},`);
}

function between(
  value: RawBuilder<unknown>,
  { from, to }: { from?: number | string | undefined; to?: number | string | undefined },
): RawBuilder<SqlBool> {
  const ends = [
    ...(from === undefined ? [] : [sql`${value} >= ${bound(from)}`]),
    ...(to === undefined ? [] : [sql`${value} <= ${bound(to)}`]),
  ];
  return sql<SqlBool>`(${sql.join(ends, sql` and `)})`;
}

/** A number or a day to compare with. A fraction is compared with columns of whole numbers, too. */
export function bound(value: number | string): RawBuilder<unknown> {
  if (typeof value === "string") return bindValue("date", value);
  return Number.isInteger(value) ? sql`${value}` : bindValue("number", value);
}

/** That a moment is on some days, by the clock on the person's wall. */
function during(
  { timezone }: Scope,
  value: RawBuilder<unknown>,
  { from, to }: Days,
): RawBuilder<SqlBool> {
  const start = (day: string) => bindValue("datetime", toUtc(timezone, `${day}T00:00`));
  const ends = [
    ...(from === undefined ? [] : [sql`${value} >= ${start(from)}`]),
    ...(to === undefined ? [] : [sql`${value} < ${start(dayAfter(to, 1))}`]),
  ];
  return sql<SqlBool>`(${sql.join(ends, sql` and `)})`;
}
