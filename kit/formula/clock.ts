import { momentOf, offsetAt } from "./zones.ts";

/** The current time in UTC, to the second, as `2026-05-03T07:00:00Z`. */
export function now(): string {
  return atSecond(Date.now());
}

/** The day of a moment in a time zone, as `2026-05-03`; today's unless a moment is given. */
export function todayIn(timezone: string, moment = now()): string {
  return toLocal(timezone, moment).slice(0, 10);
}

/** A UTC moment as the clock on the wall shows it in a time zone, such as `2026-05-03T09:00`. */
export function toLocal(timezone: string, moment: string): string {
  const time = Date.parse(moment);
  return new Date(time + offsetAt(timezone, time)).toISOString().slice(0, 16);
}

/** The UTC moment at which the clock on the wall shows `local`; the earlier one when it shows it twice. */
export function toUtc(timezone: string, local: string): string {
  return atSecond(momentOf(timezone, Date.parse(`${local.slice(0, 16)}:00Z`)));
}

function atSecond(time: number): string {
  return `${new Date(time).toISOString().slice(0, 19)}Z`;
}
