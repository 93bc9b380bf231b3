import { settings } from "./settings.ts";
import { toLocal } from "./time.ts";

/** A number as people of the language write it, with its unit; nothing for null. */
export function formatNumber(value: number | null, unit = ""): string {
  if (value === null) return "";
  const number = new Intl.NumberFormat(settings().language, { maximumFractionDigits: 14 });
  return unit ? `${number.format(value)}\u00a0${unit}` : number.format(value);
}

/** An amount in the currency of the application. */
export function formatMoney(value: number | null): string {
  if (value === null) return "";
  const { language, currency } = settings();
  return new Intl.NumberFormat(language, { style: "currency", currency }).format(value);
}

/** A date kept as `2026-05-03`, as `3 May 2026`. */
export function formatDate(value: string | null): string {
  if (value === null) return "";
  const date = new Intl.DateTimeFormat(settings().language, {
    dateStyle: "medium",
    timeZone: "UTC",
  });
  return date.format(new Date(`${value}T00:00:00Z`));
}

/** A moment kept in UTC, as date and time in the application's time zone. */
export function formatDateTime(value: string | null): string {
  if (value === null) return "";
  const moment = new Intl.DateTimeFormat(settings().language, {
    dateStyle: "medium",
    timeStyle: "short",
    timeZone: "UTC",
  });
  return moment.format(new Date(`${toLocal(value)}:00Z`));
}

/** Yes or no. */
export function formatBoolean(value: boolean): string {
  return value ? "Yes" : "No";
}

/** A whole number and its noun: `1 hive`, `1,200 hives`. */
export function formatCount(count: number, one: string, many: string): string {
  return `${formatNumber(count)} ${count === 1 ? one : many}`;
}
