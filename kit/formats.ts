import { type Settings, settings } from "./settings.ts";
import { toLocal } from "./time.ts";

/** Making one of these takes longer than using it a hundred times. */
function formattersFor({ language, currency }: Settings) {
  return {
    number: new Intl.NumberFormat(language, { maximumFractionDigits: 14 }),
    money: new Intl.NumberFormat(language, { style: "currency", currency }),
    date: new Intl.DateTimeFormat(language, { dateStyle: "medium", timeZone: "UTC" }),
    moment: new Intl.DateTimeFormat(language, {
      dateStyle: "medium",
      timeStyle: "short",
      timeZone: "UTC",
    }),
  };
}

let made: { settings: Settings; formatters: ReturnType<typeof formattersFor> } | undefined;

function formatters() {
  if (made?.settings !== settings()) {
    made = { settings: settings(), formatters: formattersFor(settings()) };
  }
  return made.formatters;
}

/** A number as people of the language write it, with its unit; nothing for null. */
export function formatNumber(value: number | null, unit = ""): string {
  if (value === null) return "";
  const text = formatters().number.format(value);
  return unit ? `${text}\u00a0${unit}` : text;
}

/** An amount in the currency of the application. */
export function formatMoney(value: number | null): string {
  return value === null ? "" : formatters().money.format(value);
}

/** A date kept as `2026-05-03`, as `3 May 2026`. */
export function formatDate(value: string | null): string {
  return value === null ? "" : formatters().date.format(new Date(`${value}T00:00:00Z`));
}

/** A moment kept in UTC, as date and time in the application's time zone. */
export function formatDateTime(value: string | null): string {
  return value === null ? "" : formatters().moment.format(new Date(`${toLocal(value)}:00Z`));
}

/** Yes or no. */
export function formatBoolean(value: boolean): string {
  return value ? "Yes" : "No";
}

/** A whole number and its noun: `1 hive`, `1,200 hives`. */
export function formatCount(count: number, one: string, many: string): string {
  return `${formatNumber(count)} ${count === 1 ? one : many}`;
}
