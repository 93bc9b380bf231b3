/** A UTC moment as the clock on the wall shows it in a time zone, such as `2026-05-03T09:00`. */
export function toLocal(timezone: string, moment: string): string {
  const time = Date.parse(moment);
  return new Date(time + offsetAt(timezone, time)).toISOString().slice(0, 16);
}

/** The UTC moment at which the clock on the wall shows `local`; the earlier one when it shows it twice. */
export function toUtc(timezone: string, local: string): string {
  const [, minute = "", second = ":00"] = /^(.{16})(:\d\d)?/.exec(local) ?? [];
  return atSecond(momentOf(timezone, Date.parse(`${minute}${second}Z`)));
}

/** A time in milliseconds as a moment in UTC, to the second. */
export function atSecond(time: number): string {
  return `${new Date(time).toISOString().slice(0, 19)}Z`;
}

/** Milliseconds that a time zone is ahead of UTC at a moment. */
export function offsetAt(zone: string, time: number): number {
  if (zone === "UTC") return 0;
  const parts = clock(zone).formatToParts(time);
  const part = (type: string) => Number(parts.find((found) => found.type === type)?.value);
  // The first years are counted backwards from year 1, and take no part in the usual way to make a time.
  const year = parts.find(({ type, value }) => type === "era" && /^b/i.test(value))
    ? 1 - part("year")
    : part("year");
  const wall = new Date(0);
  wall.setUTCFullYear(year, part("month") - 1, part("day"));
  wall.setUTCHours(part("hour"), part("minute"), part("second"));
  return wall.getTime() - Math.floor(time / 1000) * 1000;
}

/** How far a clock is ahead of UTC for a while. */
export interface Ahead {
  /** The moment at which that ends; undefined for the last while. */
  until: string | undefined;
  seconds: number;
}

/** How far the clock of a time zone is ahead of UTC between two days, while after while. */
export function aheadBetween(zone: string, from: string, to: string): Ahead[] {
  const day = 86_400_000;
  const [first, last] = [Date.parse(from) - day, Date.parse(to) + 2 * day];
  const found: Ahead[] = [];
  let time = first;
  let offset = offsetAt(zone, first);
  while (time < last) {
    // No clock is changed and changed back within four weeks.
    const next = Math.min(last, time + 28 * day);
    if (offsetAt(zone, next) !== offset) {
      const change = changeBetween(zone, time, next);
      found.push({ until: atSecond(change), seconds: offset / 1000 });
      offset = offsetAt(zone, change);
    }
    time = next;
  }
  return [...found, { until: undefined, seconds: offset / 1000 }];
}

/** The second at which the clock of a time zone is changed. */
function changeBetween(zone: string, from: number, to: number): number {
  const before = offsetAt(zone, from);
  let [early, late] = [from, to];
  while (late - early > 1000) {
    const middle = Math.floor((early + late) / 2000) * 1000;
    if (offsetAt(zone, middle) === before) early = middle;
    else late = middle;
  }
  return late;
}

/** The moment at which the clock on the wall shows `wall`, as if that were UTC; the earlier one when it shows it twice. */
export function momentOf(zone: string, wall: number): number {
  const earlier = wall - offsetAt(zone, wall - 86_400_000);
  const later = wall - offsetAt(zone, wall + 86_400_000);
  const candidates = [earlier, later].sort((a, b) => a - b);
  return candidates.find((time) => time + offsetAt(zone, time) === wall) ?? earlier;
}

const clocks = new Map<string, Intl.DateTimeFormat>();

/** What tells the clock on the wall; making one takes longer than asking it. */
function clock(timeZone: string): Intl.DateTimeFormat {
  const known = clocks.get(timeZone);
  if (known) return known;
  const made = new Intl.DateTimeFormat("en", {
    timeZone,
    hourCycle: "h23",
    era: "short",
    year: "numeric",
    month: "numeric",
    day: "numeric",
    hour: "numeric",
    minute: "numeric",
    second: "numeric",
  });
  clocks.set(timeZone, made);
  return made;
}
