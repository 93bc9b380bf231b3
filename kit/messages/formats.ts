import type { Period } from "../formula/periods.ts";
import { toLocal } from "../formula/zones.ts";
import type { Messages } from "./en.ts";
import { late } from "./late.ts";
import { pluralForm } from "./plural.ts";

/** How numbers, amounts, dates and times are written for one language, currency and time zone. */
export class Formats {
  readonly #number = late(() => this.#numbers({ maximumFractionDigits: 14 }));
  readonly #share = late(() => this.#numbers({ style: "percent", maximumFractionDigits: 1 }));
  readonly #change = late(() =>
    this.#numbers({ style: "percent", maximumFractionDigits: 0, signDisplay: "exceptZero" }),
  );
  readonly #money = late(() => this.#numbers({ style: "currency", currency: this.currency }));
  readonly #date = late(() => this.#days({ dateStyle: "medium" }));
  readonly #dateTime = late(() => this.#days({ dateStyle: "medium", timeStyle: "short" }));
  readonly #month = late(() => this.#days({ year: "numeric", month: "short" }));
  readonly #longDay = late(() =>
    this.#days({ weekday: "long", day: "numeric", month: "long", year: "numeric" }),
  );
  readonly #weekday = late(() => this.#days({ weekday: "short" }));
  readonly #longMonth = late(() => this.#days({ year: "numeric", month: "long" }));
  readonly #monthName = late(() => this.#days({ month: "long" }));
  readonly #shortMonth = late(() => this.#days({ month: "short" }));
  readonly #typed = late(() => new TypedFormats(this.language));
  readonly #knownDates = new Map<string, string>();
  readonly #knownNumbers = new Map<number, string>();

  constructor(
    readonly language: string,
    readonly currency: string,
    readonly timezone: string,
    readonly messages: Messages,
  ) {}

  /** How dates and times are typed. */
  get typed(): TypedFormats {
    return this.#typed();
  }

  #numbers(options: Intl.NumberFormatOptions): Intl.NumberFormat {
    return new Intl.NumberFormat(this.language, options);
  }

  #days(options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
    return new Intl.DateTimeFormat(this.language, { ...options, timeZone: "UTC" });
  }

  /** A number with its unit; nothing for null. */
  number(value: number | null, unit = ""): string {
    if (value === null) return "";
    const text = remembered(this.#knownNumbers, value, (number) => this.#number().format(number));
    return unit ? `${text}\u00a0${unit}` : text;
  }

  /** How large a file is: `1.2 MB`. */
  size(bytes: number): string {
    const [unit, one] = bytes < 1_000_000 ? (["kB", 1000] as const) : (["MB", 1_000_000] as const);
    const value = bytes / one;
    return this.number(
      value < 10 ? Math.max(0.1, Number(value.toFixed(1))) : Math.round(value),
      unit,
    );
  }

  /** A part of a whole, from 0 to 1, in percent. */
  share(value: number): string {
    return this.#share().format(value);
  }

  /** How much something grew or shrank, as a part of what it was: `+12%`. */
  change(value: number): string {
    return this.#change().format(value);
  }

  /** An amount in the currency of the application. */
  money(value: number | null): string {
    return value === null ? "" : this.#money().format(value);
  }

  /** A date kept as `2026-05-03`, as `3 May 2026`. */
  date(value: string | null): string {
    if (value === null) return "";
    return remembered(this.#knownDates, value, (date) =>
      this.#date().format(new Date(`${date}T00:00:00Z`)),
    );
  }

  /** A date as `Sunday 3 May 2026`. */
  longDay(value: string): string {
    return this.#longDay().format(new Date(`${value}T00:00:00Z`));
  }

  /** The day of the week of a date: `Sun`. */
  weekday(value: string): string {
    return this.#weekday().format(new Date(`${value}T00:00:00Z`));
  }

  /** The month of a date: `May 2026`, and `May`. */
  longMonth(value: string): string {
    return this.#longMonth().format(new Date(`${value}T00:00:00Z`));
  }

  /** A month of the year, from 1 to 12: `March`. */
  monthName(month: number): string {
    return this.#monthName().format(new Date(Date.UTC(2024, month - 1, 1)));
  }

  shortMonth(value: string): string {
    return this.#shortMonth().format(new Date(`${value}T00:00:00Z`));
  }

  /** A period of days, such as `2026-05`, as `May 2026`. */
  period(per: Period, key: string): string {
    const { quarter, week } = this.messages.report;
    switch (per) {
      case "year":
        return key;
      case "quarter":
        return quarter(key.slice(6), key.slice(0, 4));
      case "month":
        return this.#month().format(new Date(`${key}-01T00:00:00Z`));
      case "week":
        return week(this.date(key));
      case "day":
        return this.date(key);
    }
  }

  /** A moment kept in UTC, as date and time in the time zone. */
  dateTime(value: string | null): string {
    if (value === null) return "";
    return this.#dateTime().format(new Date(`${toLocal(this.timezone, value)}:00Z`));
  }

  /** Yes or no. */
  boolean(value: boolean): string {
    return value ? this.messages.yes : this.messages.no;
  }

  /** A whole number and its noun: `1 hive`, `1,200 hives`. */
  count(count: number, one: string, many: string): string {
    const noun = pluralForm(this.language, count, { one, other: many });
    return this.messages.counted(this.number(count), noun);
  }
}

/** Values that are kept formatted: lists show the same ones again and again. */
const mostRemembered = 2000;

function remembered<Value>(
  known: Map<Value, string>,
  value: Value,
  format: (value: Value) => string,
): string {
  const before = known.get(value);
  if (before !== undefined) return before;
  const text = format(value);
  if (known.size >= mostRemembered) known.clear();
  known.set(value, text);
  return text;
}

const made = new Map<string, Formats>();
const mostFormats = 200;

/** The formats for a language, currency and time zone; making them takes longer than using them a hundred times. */
export function formatsFor(
  language: string,
  currency: string,
  timezone: string,
  messages: Messages,
): Formats {
  const key = `${language} ${currency} ${timezone}`;
  const formats = made.get(key) ?? new Formats(language, currency, timezone, messages);
  if (made.size >= mostFormats) made.clear();
  made.set(key, formats);
  return formats;
}

type Part = "day" | "month" | "year";

/** How people type dates and times in a language, whatever their browser is set to. */
export class TypedFormats {
  /** The parts of a date in their order, and what is between them. */
  readonly parts: readonly (Part | string)[];
  readonly #twelveHours: boolean;

  constructor(language: string) {
    const gregorian = new Intl.DateTimeFormat(`${language}-u-ca-gregory-nu-latn`, {
      day: "2-digit",
      month: "2-digit",
      year: "numeric",
      timeZone: "UTC",
    });
    this.parts = gregorian
      .formatToParts(0)
      .map(({ type, value }) => (isPart(type) ? type : value.replace(/\s+/g, " ")));
    const { hour12 = false } = new Intl.DateTimeFormat(language, {
      hour: "numeric",
    }).resolvedOptions();
    this.#twelveHours = hour12;
  }

  /** `2026-05-03` as it is typed, such as `03/05/2026`. */
  date(value: string): string {
    const [year = "", month = "", day = ""] = value.split("-");
    const values = { year, month, day };
    return this.parts.map((part) => (isPart(part) ? values[part] : part)).join("");
  }

  /** `09:30` as it is typed, such as `9:30 AM`. */
  time(value: string): string {
    if (!this.#twelveHours) return value;
    const [hours = 0, minutes = 0] = value.split(":").map(Number);
    return `${hours % 12 || 12}:${String(minutes).padStart(2, "0")} ${hours < 12 ? "AM" : "PM"}`;
  }

  /** `2026-05-03T09:30` as it is typed. */
  dateTime(value: string): string {
    return `${this.date(value.slice(0, 10))} ${this.time(value.slice(11, 16))}`;
  }

  /** A typed date as `2026-05-03`; what isn't typed in this way comes back as it is. */
  readDate(text: string): string {
    const found = /^(\d{1,4})\D{1,3}(\d{1,2})\D{1,3}(\d{1,4})\D{0,4}$/.exec(text);
    if (!found || /^\d{4}-\d{2}-\d{2}$/.test(text)) return text;
    const order = this.parts.filter(isPart);
    const part = (name: Part) => found[order.indexOf(name) + 1] ?? "";
    if (part("year").length !== 4) return text;
    return `${part("year")}-${part("month").padStart(2, "0")}-${part("day").padStart(2, "0")}`;
  }

  /** A typed time as `09:30`; what isn't typed in this way comes back as it is. */
  readTime(text: string): string {
    const found = /^(\d{1,2})[:.](\d{2})\s*(?:([ap])\.?\s*m\.?)?$/i.exec(text);
    if (!found) return text;
    const [, hours = "", minutes = "", half] = found;
    const hour = half
      ? (Number(hours) % 12) + (half.toLowerCase() === "p" ? 12 : 0)
      : Number(hours);
    if (half && (Number(hours) < 1 || Number(hours) > 12)) return text;
    return `${String(hour).padStart(2, "0")}:${minutes}`;
  }

  /** A typed date and time as `2026-05-03T09:30`; what isn't typed in this way comes back as it is. */
  readDateTime(text: string): string {
    if (/^\d{4}-\d{2}-\d{2}[T ]/.test(text)) return text;
    const found = /^(.*?)[\s,]+(\d{1,2}[:.]\d{2}(?:\s*[ap]\.?\s*m\.?)?)$/i.exec(text);
    if (!found) return text;
    return `${this.readDate(found[1] ?? "")}T${this.readTime(found[2] ?? "")}`;
  }

  /** What is to be typed, such as `dd/mm/yyyy`. */
  pattern(letters: Readonly<Record<Part, string>>): string {
    return this.parts.map((part) => (isPart(part) ? letters[part] : part)).join("");
  }
}

function isPart(part: string): part is Part {
  return part === "day" || part === "month" || part === "year";
}
