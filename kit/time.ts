import { settings } from "./settings.ts";

/** Today in the application's time zone, as `2026-05-03`. */
export function today(): string {
  return toLocal(now()).slice(0, 10);
}

/** This moment in UTC, to the second, as `2026-05-03T07:00:00Z`. */
export function now(): string {
  return atSecond(Date.now());
}

/** A UTC moment as the clock on the wall shows it, `2026-05-03T09:00`, for `datetime-local` inputs. */
export function toLocal(moment: string): string {
  const time = Date.parse(moment);
  return new Date(time + offset(time)).toISOString().slice(0, 16);
}

/** The UTC moment at which the clock on the wall shows `local`; the earlier one when it shows it twice. */
export function toUtc(local: string): string {
  const wall = Date.parse(`${local.slice(0, 16)}:00Z`);
  const earlier = wall - offset(wall - 86_400_000);
  const later = wall - offset(wall + 86_400_000);
  const candidates = [earlier, later].sort((a, b) => a - b);
  const match = candidates.find((time) => time + offset(time) === wall);
  return atSecond(match ?? earlier);
}

function atSecond(time: number): string {
  return `${new Date(time).toISOString().slice(0, 19)}Z`;
}

/** Milliseconds that the application's time zone is ahead of UTC at a moment. */
function offset(time: number): number {
  const { timezone } = settings();
  if (timezone === "UTC") return 0;
  const parts = new Intl.DateTimeFormat("en", {
    timeZone: timezone,
    hourCycle: "h23",
    year: "numeric",
    month: "numeric",
    day: "numeric",
    hour: "numeric",
    minute: "numeric",
    second: "numeric",
  }).formatToParts(time);
  const part = (type: string) => Number(parts.find((found) => found.type === type)?.value);
  const wall = Date.UTC(
    part("year"),
    part("month") - 1,
    part("day"),
    part("hour"),
    part("minute"),
    part("second"),
  );
  return wall - Math.floor(time / 1000) * 1000;
}
