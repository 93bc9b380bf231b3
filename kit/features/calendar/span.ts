import { calendarDay, dayAfter, daysIn, type Period, periodOf } from "../../formula/periods.ts";

/** How much of a calendar is shown at once, and how. */
export const calendarSpans = ["month", "week", "day", "agenda", "timeline"] as const;
export type CalendarSpan = (typeof calendarSpans)[number];

/** What an address asks of a calendar: `?span=week&on=2026-05-03`. */
export interface CalendarRequest {
  span: CalendarSpan;
  /** A day within it. */
  on: string;
}

/** The period that a span is, where it is one. */
const periodsOf: Readonly<Record<CalendarSpan, Period>> = {
  month: "month",
  week: "week",
  day: "day",
  agenda: "month",
  timeline: "year",
};

/** Reads the wishes out of an address; whatever makes no sense is left out. */
export function calendarRequest(query: URLSearchParams, today: string): CalendarRequest {
  const span = calendarSpans.find((each) => each === query.get("span")) ?? "month";
  const on = query.get("on") ?? "";
  return { span, on: isDay(on) ? on : today };
}

/** The days of a span. */
export function daysOfSpan({ span, on }: CalendarRequest): { from: string; to: string } {
  const per = periodsOf[span];
  return daysIn(per, periodOf(per, on));
}

/** The days that are drawn: those of a month in whole weeks. */
export function drawnDays(request: CalendarRequest): string[] {
  const { from, to } = daysOfSpan(request);
  const isMonth = request.span === "month";
  const first = isMonth ? periodOf("week", from) : from;
  const last = isMonth ? dayAfter(periodOf("week", to), 6) : to;
  const days: string[] = [];
  for (let day = first; day <= last; day = dayAfter(day, 1)) days.push(day);
  return days;
}

/** A day in the span before, and one in the span behind. */
export function besides(request: CalendarRequest): { before: string; behind: string } {
  const { from, to } = daysOfSpan(request);
  return { before: dayAfter(from, -1), behind: dayAfter(to, 1) };
}

/** Whether a text is a day that there is, in the years 1 to 9998. */
export function isDay(text: string): boolean {
  const [, year, month, date] = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text) ?? [];
  if (year === undefined || year === "0000" || text > "9998-12-31") return false;
  return calendarDay(Number(year), Number(month), Number(date)) === text;
}
