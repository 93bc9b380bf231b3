import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { bindValue } from "../../database/current-dialect.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { todayIn } from "../../formula/clock.ts";
import { dayAfter } from "../../formula/periods.ts";
import { toUtc } from "../../formula/zones.ts";
import { bound } from "./filters.ts";

/** Into how many parts a range is cut. */
const parts = 12;

/** The range from the least value of a field to its largest one, in equal parts; none where there are no two values. */
export function cutsOf(scope: Scope, field: Field, least: unknown, largest: unknown): Cut[] {
  if (least === null || least === undefined || String(least) === String(largest)) return [];
  if (typeOf(field).filter === "presence") return [];
  return typeOf(field).filter === "numbers"
    ? numberCuts(Number(least), Number(largest), stepOf(scope, field))
    : dayCuts(dayOf(scope, least), dayOf(scope, largest));
}

/** That a value is before the end of a part of a range. */
export function isBelow(
  scope: Scope,
  field: Field,
  value: RawBuilder<unknown>,
  { end }: Cut,
): RawBuilder<unknown> {
  return sql`${value} < ${edgeOf(scope, field, end)}`;
}

/** That a value is in a part of a range. */
export function isWithin(
  scope: Scope,
  field: Field,
  value: RawBuilder<unknown>,
  cut: Cut,
): RawBuilder<unknown> {
  return sql`${value} >= ${edgeOf(scope, field, cut.from)} and ${isBelow(scope, field, value, cut)}`;
}

function edgeOf({ timezone }: Scope, field: Field, edge: string): RawBuilder<unknown> {
  const { filter } = typeOf(field);
  return filter === "moments"
    ? bindValue("datetime", toUtc(timezone, `${edge}T00:00`))
    : bound(filter === "numbers" ? Number(edge) : edge);
}

/** A part of a range: from its first value to its last one; `end` is where the next part begins. */
export interface Cut {
  from: string;
  to: string;
  end: string;
}

/** What two values of a field of numbers are apart at least. */
function stepOf(scope: Scope, field: Field): number {
  const { step } = field.attributes(scope);
  const number = Number(step);
  return number > 0 ? number : 0.01;
}

/** A range of numbers in parts of a round width, each of which ends a step before the next one. */
function numberCuts(least: number, largest: number, step: number): Cut[] {
  const rough = Math.max((largest - least) / parts, step);
  const power = 10 ** Math.floor(Math.log10(rough));
  const width = ([1, 2, 5, 10].find((each) => each * power >= rough) ?? 10) * power;
  const places = Math.max(0, -Math.floor(Math.log10(step)));
  const start = Math.floor(least / width) * width;
  const cuts: Cut[] = [];
  for (let at = 0; start + at * width <= largest; at++) {
    const [from, end] = [start + at * width, start + (at + 1) * width];
    const to = (end - step).toFixed(places);
    cuts.push({ from: from.toFixed(places), to, end: end.toFixed(places) });
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
