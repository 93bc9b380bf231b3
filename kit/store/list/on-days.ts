import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { bindValue } from "../../database/current-dialect.ts";
import type { Entity } from "../../entity/entity.ts";
import { dayAfter } from "../../formula/periods.ts";
import { toLocal, toUtc } from "../../formula/zones.ts";
import { displayTitle } from "../order.ts";
import { titleOf } from "../titles.ts";
import { type Condition, conditions, where } from "./conditions.ts";
import { bound } from "./filters.ts";
import type { ListRequest } from "./request.ts";

/** A record on its days, by the clock on the person's wall. */
export interface DatedRecord {
  entity: Entity;
  id: number;
  version: number;
  title: string;
  /** The first day, as `2026-05-03`. */
  from: string;
  /** The last day. */
  to: string;
  /** When it begins on the first day, as `09:30`; undefined where it has days only. */
  time?: string;
  /** When it ends on the last day. */
  end?: string;
  /** The value of the choice that gives its colour. */
  state?: string;
}

/** The fields that say on which days a record is, of those that the person sees. */
export function seenDays(scope: Scope, entity: Entity): Entity["calendar"] {
  const { calendar } = entity;
  if (!calendar || scope.isHidden(entity, calendar.from)) return undefined;
  const seen = (name: string | undefined) =>
    name === undefined || scope.isHidden(entity, name) ? undefined : name;
  const [to, color] = [seen(calendar.to), seen(calendar.color)];
  return {
    from: calendar.from,
    ...(to !== undefined && { to }),
    ...(color !== undefined && { color }),
  };
}

/** How a list asks which of its records are on some days. */
function daysIn(scope: Scope, { table, fields }: Entity) {
  const column = (name: string) => sql.ref(`${table}.${name}`);
  const isMoment = (name: string) => fields[name]?.kind === "datetime";
  return {
    column,
    isMoment,
    /** That a day or a moment is on a day or later. */
    since: (name: string, day: string) =>
      sql<SqlBool>`${column(name)} >= ${isMoment(name) ? momentOf(scope, day) : bound(day)}`,
    /** That it is before the end of a day. */
    until: (name: string, day: string) =>
      isMoment(name)
        ? sql<SqlBool>`${column(name)} < ${momentOf(scope, dayAfter(day, 1))}`
        : sql<SqlBool>`${column(name)} <= ${bound(day)}`,
    /** That it is before the beginning of a day. */
    earlier: (name: string, day: string) =>
      sql<SqlBool>`${column(name)} < ${isMoment(name) ? momentOf(scope, day) : bound(day)}`,
    /** That it is after the end of a day. */
    later: (name: string, day: string) =>
      isMoment(name)
        ? sql<SqlBool>`${column(name)} >= ${momentOf(scope, dayAfter(day, 1))}`
        : sql<SqlBool>`${column(name)} > ${bound(day)}`,
  };
}

/** The last day before some days on which a record begins that a list finds, and the first one behind them. */
export async function daysBeside(
  scope: Scope,
  entity: Entity,
  request: Pick<ListRequest, "search" | "query">,
  days: { from: string; to: string },
): Promise<{ before: string | undefined; behind: string | undefined }> {
  const calendar = seenDays(scope, entity);
  if (!calendar) return { before: undefined, behind: undefined };
  const { from } = calendar;
  const { column, isMoment, earlier, later } = daysIn(scope, entity);
  const asked = await conditions(scope, entity, request);
  const edge = async (which: RawBuilder<unknown>, condition: RawBuilder<SqlBool>) => {
    const { rows } = await sql<{ day: unknown }>`
      select ${which}(${column(from)}) as day from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
      ${where([...asked, condition])}`.execute(scope.db);
    const day = rows[0]?.day ?? undefined;
    return day === undefined ? undefined : dayAndTime(scope, String(day), isMoment(from)).day;
  };
  return {
    before: await edge(sql`max`, earlier(from, days.from)),
    behind: await edge(sql`min`, later(from, days.to)),
  };
}

/** The records that a list finds on some days, the first ones first, up to `most`; and whether there are more. */
export async function recordsOnDays(
  scope: Scope,
  entity: Entity,
  request: Pick<ListRequest, "search" | "query">,
  days: { from: string; to: string },
  most: number,
): Promise<{ records: DatedRecord[]; more: boolean }> {
  const calendar = seenDays(scope, entity);
  if (!calendar) return { records: [], more: false };
  const { table } = entity;
  const { from, to, color } = calendar;
  const { column, isMoment, since, until } = daysIn(scope, entity);
  const ends = to === undefined ? [] : [since(to, days.from)];
  const within = sql<SqlBool>`(${sql.join([since(from, days.from), ...ends], sql` or `)})`;
  const onDays = [until(from, days.to), within] as unknown as Condition[];
  const asked = await conditions(scope, entity, request);
  const names = ["id", "version", from, ...(to ? [to] : []), ...(color ? [color] : [])];
  const { rows } = await sql<Record<string, unknown>>`
    select ${sql.join(names.map(column))}, ${titleOf(scope, entity, table)} as ${displayTitle}
    from ${scope.rowsOf(entity)} as ${sql.table(table)}
    ${where([...asked, ...onDays])}
    order by ${column(from)}, ${column("id")} limit ${sql.lit(most + 1)}`.execute(scope.db);
  const records = rows.slice(0, most).map((row) => {
    const begin = dayAndTime(scope, String(row[from]), isMoment(from));
    const ending = to !== undefined && row[to] !== null ? row[to] : undefined;
    const end =
      ending === undefined ? begin : dayAndTime(scope, String(ending), isMoment(to ?? ""));
    return {
      entity,
      id: Number(row.id),
      version: Number(row.version),
      title: String(row.displayTitle),
      from: begin.day,
      // What ends before it begins is on its first day only.
      to: end.day < begin.day ? begin.day : end.day,
      ...(begin.time !== undefined && { time: begin.time }),
      ...(ending !== undefined && end.time !== undefined && { end: end.time }),
      ...(color && typeof row[color] === "string" && { state: row[color] }),
    };
  });
  return { records, more: rows.length > most };
}

function momentOf({ timezone }: Scope, day: string): RawBuilder<unknown> {
  return bindValue("datetime", toUtc(timezone, `${day}T00:00`));
}

function dayAndTime({ timezone }: Scope, value: string, isMoment: boolean) {
  if (!isMoment) return { day: value.slice(0, 10), time: undefined };
  const local = toLocal(timezone, value);
  return { day: local.slice(0, 10), time: local.slice(11, 16) };
}
