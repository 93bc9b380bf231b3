/** Which part of a date in digits is first, where the year does not. */
export type DateOrder = "day first" | "month first";

/** A day as it was found in a text, under either order; both are the same where the text leaves no doubt. */
export interface FoundDate {
  dayFirst: string | undefined;
  monthFirst: string | undefined;
  /** Whether the order of day and month matters to how it reads. */
  ordered: boolean;
  /** The time behind the day: `09:30` or `09:30:15`, and a `Z` where it is in UTC. */
  time?: string;
  /** Whether the year has two digits, so that something else decides its century. */
  shortYear?: true;
}

const iso = /^(\d{4})([-/.])(\d{1,2})\2(\d{1,2})$/;
const digits = /^(\d{1,2})([-/.])(\d{1,2})\2(\d{4}|\d{2})$/;
const dayMonth =
  /^(?:\p{L}{2,10}\.?,?\s+)?(\d{1,2})(?:st|nd|rd|th|\.|º)?[\s-]+(?:de\s+|of\s+)?(\p{L}{3,10})\.?,?[\s-]+(?:de\s+|del\s+)?(\d{4}|\d{2})$/u;
const monthDay =
  /^(?:\p{L}{2,10}\.?,?\s+)?(\p{L}{3,10})\.?\s+(\d{1,2})(?:st|nd|rd|th)?,?\s+(\d{4})$/u;
const moment =
  /^(.{6,30}?)(?:T|,?\s+)(\d{1,2}[:.]\d{2}(?:[:.]\d{2}(?:\.\d+)?)?\s*(?:[ap]\.?m\.?)?)\s*(Z|UTC|[+-]\d{2}:?\d{2})?$/iu;

/** The first of the hundred years that two digits are taken for, where nothing decides it. */
const usualCentury = 1950;

/**
 * Finds the day, or day and time, in a text; undefined when it isn't one. Years of two digits are among the hundred
 * that begin with `century`.
 */
export function findDate(text: string, century = usualCentury): FoundDate | undefined {
  const day = findDay(text, century);
  if (day) return day;
  const found = moment.exec(text);
  if (!found) return undefined;
  const [, first = "", clock = "", zone] = found;
  const start = findDay(first, century);
  const time = findTime(clock);
  if (!start || !time) return undefined;
  return zone ? inZone(start, time, zone) : { ...start, time };
}

function findDay(text: string, century: number): FoundDate | undefined {
  const day = (year = "", month = "", date = "") =>
    dayOf(year.length === 2 ? inCentury(Number(year), century) : year, month, date);
  const plain = iso.exec(text);
  if (plain) return sure(day(plain[1], plain[3], plain[4]), "");
  const numeric = digits.exec(text);
  if (numeric) {
    const [, a, , b, year] = numeric;
    const dayFirst = day(year, b, a);
    const monthFirst = day(year, a, b);
    if (!dayFirst && !monthFirst) return undefined;
    const ordered = dayFirst !== monthFirst;
    return { dayFirst, monthFirst, ordered, ...(year?.length === 2 && { shortYear: true }) };
  }
  const lower = text.toLowerCase();
  const named = dayMonth.exec(lower);
  if (named) return sure(day(named[3], monthNumber(named[2]), named[1]), named[3]);
  const american = monthDay.exec(lower);
  return american ? sure(day(american[3], monthNumber(american[1]), american[2]), "") : undefined;
}

function sure(found: string | undefined, year = ""): FoundDate | undefined {
  if (!found) return undefined;
  const shortYear = year.length === 2 && ({ shortYear: true } as const);
  return { dayFirst: found, monthFirst: found, ordered: false, ...shortYear };
}

/** The year among a hundred that ends in two digits. */
function inCentury(digits: number, century: number): string {
  const year = century - (century % 100) + digits;
  return String(year < century ? year + 100 : year);
}

/** A day in ISO form; undefined when the calendar has no such day. */
function dayOf(year: string, month: string, date: string): string | undefined {
  const text = `${year}-${month.padStart(2, "0")}-${date.padStart(2, "0")}`;
  return isDay(text) ? text : undefined;
}

/** Whether a text is a day of the calendar, as `2026-05-03`. */
export function isDay(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text) || text < "0001") return false;
  const [year = 0, month = 0, date = 0] = text.split("-").map(Number);
  if (month < 1 || month > 12 || date < 1) return false;
  if (date <= 28) return true;
  return date <= new Date(Date.UTC(year, month, 0)).getUTCDate();
}

/** The time in a text, `09:30` or `09:30:15`: of `9:30`, `9.30`, `9:30 pm`. Undefined when it isn't one. */
export function findTime(text: string): string | undefined {
  const found = /^(\d{1,2})([:.h])(\d{2})(?:\2(\d{2})(?:\.0+)?)?\s*([ap])?(?:\.?m\.?)?$/i.exec(
    text,
  );
  if (!found) return undefined;
  const [, hour, , minute, second, half] = found;
  let hours = Number(hour);
  if (half) {
    if (hours < 1 || hours > 12) return undefined;
    hours = (hours % 12) + (half.toLowerCase() === "p" ? 12 : 0);
  }
  if (hours > 23 || Number(minute) > 59 || Number(second ?? 0) > 59) return undefined;
  return withSeconds(`${String(hours).padStart(2, "0")}:${minute}`, second);
}

/** A time with its seconds, where there are some. */
function withSeconds(time: string, seconds = "00"): string {
  return seconds === "00" ? time : `${time}:${seconds}`;
}

function inZone(start: FoundDate, time: string, zone: string): FoundDate | undefined {
  const utc = (found: string | undefined): string | undefined => {
    if (!found) return undefined;
    const offset = /^[+-]/.test(zone) ? `${zone.slice(0, 3)}:${zone.slice(-2)}` : "Z";
    const moment = Date.parse(`${found}T${time.padEnd(8, ":00")}${offset}`);
    return Number.isNaN(moment) ? undefined : new Date(moment).toISOString();
  };
  const dayFirst = utc(start.dayFirst);
  const monthFirst = utc(start.monthFirst);
  const found = dayFirst ?? monthFirst;
  if (!found) return undefined;
  const clock = withSeconds(found.slice(11, 16), found.slice(17, 19));
  return {
    dayFirst: dayFirst?.slice(0, 10),
    monthFirst: monthFirst?.slice(0, 10),
    ordered: start.ordered,
    ...(start.shortYear && { shortYear: true }),
    time: `${clock}Z`,
  };
}

/** The languages whose names of months are understood. */
const languages = ["en", "es", "de", "fr", "it", "pt", "nl", "ca"];

let months: Map<string, string> | undefined;

/** The number of a month by its name or the short form of it, in small letters; undefined for another word. */
export function monthNumber(name = ""): string | undefined {
  months ??= monthNames();
  return months.get(name.replace(".", ""));
}

function monthNames(): Map<string, string> {
  const names = new Map<string, string>([["sept", "9"]]);
  for (const language of languages) {
    for (const month of ["long", "short"] as const) {
      const format = new Intl.DateTimeFormat(language, { month, day: "numeric", timeZone: "UTC" });
      for (let number = 1; number <= 12; number++) {
        const parts = format.formatToParts(Date.UTC(2026, number - 1, 1));
        const name = parts.find(({ type }) => type === "month")?.value ?? "";
        const key = name.toLowerCase().replaceAll(".", "");
        if (!names.has(key)) names.set(key, String(number));
      }
    }
  }
  return names;
}
