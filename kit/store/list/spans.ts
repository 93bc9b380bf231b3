import { calendarDay, dayAfter } from "../../formula/periods.ts";

/** The usual spans of days, by the words that addresses have for them. */
export const spans = [
  "today",
  "this-month",
  "last-month",
  "this-year",
  "last-year",
  "last-12-months",
  "past",
  "future",
] as const;

export type Span = (typeof spans)[number];

export function isSpan(text: string): text is Span {
  return (spans as readonly string[]).includes(text);
}

/** Days from one to another, both included; undefined where there is no end. */
export interface Days {
  from?: string | undefined;
  to?: string | undefined;
}

/** The days of a span, as `2026-05-03`, seen from a day. */
export function daysOf(span: Span, today: string): Days {
  const [year = 0, month = 0] = today.split("-").map(Number);
  switch (span) {
    case "today":
      return { from: today, to: today };
    case "this-month":
      return { from: calendarDay(year, month, 1), to: calendarDay(year, month + 1, 0) };
    case "last-month":
      return { from: calendarDay(year, month - 1, 1), to: calendarDay(year, month, 0) };
    case "this-year":
      return { from: calendarDay(year, 1, 1), to: calendarDay(year, 12, 31) };
    case "last-year":
      return { from: calendarDay(year - 1, 1, 1), to: calendarDay(year - 1, 12, 31) };
    case "last-12-months":
      return { from: calendarDay(year, month - 11, 1), to: calendarDay(year, month + 1, 0) };
    case "past":
      return { to: dayAfter(today, -1) };
    case "future":
      return { from: dayAfter(today, 1) };
  }
}
