import { atSecond, toLocal } from "./zones.ts";

/** The current time in UTC, to the second, as `2026-05-03T07:00:00Z`. */
export function now(): string {
  return atSecond(Date.now());
}

/** The day of a moment in a time zone, as `2026-05-03`; today's unless a moment is given. */
export function todayIn(timezone: string, moment = now()): string {
  return toLocal(timezone, moment).slice(0, 10);
}
