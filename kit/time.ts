import { settings } from "./settings.ts";
import { momentOf, offsetAt } from "./zones.ts";

/** Today in the application's time zone, as `2026-05-03`. */
export function today(): string {
  return toLocal(now()).slice(0, 10);
}

/** The current time in UTC, to the second, as `2026-05-03T07:00:00Z`. */
export function now(): string {
  return atSecond(Date.now());
}

/** A UTC moment as the clock on the wall shows it, `2026-05-03T09:00`, for `datetime-local` inputs. */
export function toLocal(moment: string): string {
  const time = Date.parse(moment);
  return new Date(time + offsetAt(settings().timezone, time)).toISOString().slice(0, 16);
}

/** The UTC moment at which the clock on the wall shows `local`; the earlier one when it shows it twice. */
export function toUtc(local: string): string {
  return atSecond(momentOf(settings().timezone, Date.parse(`${local.slice(0, 16)}:00Z`)));
}

function atSecond(time: number): string {
  return `${new Date(time).toISOString().slice(0, 19)}Z`;
}
