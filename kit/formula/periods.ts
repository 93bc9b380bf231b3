/** By what days are put together. */
export const periods = ["year", "quarter", "month", "week", "day"] as const;
export type Period = (typeof periods)[number];

/** The period of a day: `2026`, `2026-Q2`, `2026-05`, the Monday of a week, or the day itself. */
export function periodOf(per: Period, day: string): string {
  switch (per) {
    case "year":
      return day.slice(0, 4);
    case "quarter":
      return `${day.slice(0, 4)}-Q${Math.ceil(Number(day.slice(5, 7)) / 3)}`;
    case "month":
      return day.slice(0, 7);
    case "week": {
      const weekday = new Date(`${day}T00:00:00Z`).getUTCDay();
      return dayAfter(day, -((weekday + 6) % 7));
    }
    case "day":
      return day;
  }
}

/** The first and the last day of a period. */
export function daysIn(per: Period, key: string): { from: string; to: string } {
  const year = key.slice(0, 4);
  switch (per) {
    case "year":
      return { from: `${year}-01-01`, to: `${year}-12-31` };
    case "quarter":
    case "month": {
      const last = per === "month" ? Number(key.slice(5)) : 3 * Number(key.slice(6));
      const first = per === "month" ? last : last - 2;
      const next =
        last === 12
          ? `${String(Number(year) + 1).padStart(4, "0")}-01-01`
          : `${year}-${two(last + 1)}-01`;
      return { from: `${year}-${two(first)}-01`, to: dayAfter(next, -1) };
    }
    case "week":
      return { from: key, to: dayAfter(key, 6) };
    case "day":
      return { from: key, to: key };
  }
}

function two(number: number): string {
  return String(number).padStart(2, "0");
}

/** The day so many days after another one. */
export function dayAfter(date: string, days: number): string {
  const [year = 0, month = 0, number = 0] = date.split("-").map(Number);
  return calendarDay(year, month, number + days);
}

/** A day; months and days beyond the calendar count on. */
export function calendarDay(year: number, month: number, date: number): string {
  const time = new Date(0);
  time.setUTCFullYear(year, month - 1, date);
  return time.toISOString().slice(0, 10);
}
