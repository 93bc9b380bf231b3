import type { ColumnType } from "../fields/storage.ts";
import type { Syntax } from "./syntax.ts";

type Kind = ColumnType["kind"];

/** How a database converts between time zones. */
export interface ZonedWords {
  /** The moment at which a day begins. */
  midnight(day: string, zone: string): string;
  /** The day, and the time to the minute, that a clock shows at a moment. */
  day(moment: string, zone: string): string;
  time(moment: string, zone: string): string;
  /** Whether a clock shows midnight, to the second. */
  isMidnight(moment: string, zone: string): string;
}

/** How a database turns values of one type into another. */
export interface ConversionWords {
  textOf(value: string, from: ColumnType): string;
  /** The first characters of a text, and how many it has. */
  cut(text: string, length: number): string;
  length(text: string): string;
  rounded(value: string, places: number): string;
  /** Whether a number is another one, which was rounded. */
  isRounded(value: string, rounded: string): string;
  /** By both types, as in `text integer`. */
  conversions: Readonly<Record<string, (value: string, to: ColumnType, lossy: boolean) => string>>;
  /** A day as the moment of its midnight, and a moment as the clock of a time zone shows it. */
  zoned: ZonedWords;
  /** Nothing, where no value can be converted. */
  nothing(to: ColumnType): string;
}

/**
 * What gives an expression turned from one type into another; null where a value can't be. `lossy` cuts and
 * rounds what is too long or too fine instead. Nothing in it fails, whatever the value is.
 */
export function conversionBy(words: ConversionWords): Syntax["converted"] {
  return (value, from, to, lossy, zone) => {
    if (to.kind === "text" || to.kind === "long text") {
      const text = words.textOf(value, from);
      if (to.kind === "long text" || alwaysConverts(from, to)) return text;
      return lossy
        ? words.cut(text, to.max)
        : `case when ${words.length(text)} <= ${to.max} then ${text} end`;
    }
    if (from.kind === "decimal" && to.kind === "decimal") {
      if (from.places <= to.places) return value;
      const round = words.rounded(value, to.places);
      return lossy ? round : `case when ${words.isRounded(value, round)} then ${value} end`;
    }
    if (from.kind === to.kind) return value;
    if (from.kind === "date" && to.kind === "datetime") return words.zoned.midnight(value, zone);
    if (from.kind === "datetime" && to.kind === "date") {
      const day = words.zoned.day(value, zone);
      // That would lose the time of day.
      return lossy ? day : `case when ${words.zoned.isMidnight(value, zone)} then ${day} end`;
    }
    // That would lose the day.
    if (from.kind === "datetime" && to.kind === "time") {
      return lossy ? words.zoned.time(value, zone) : words.nothing(to);
    }
    const source = from.kind === "long text" || from.kind === "code" ? "text" : from.kind;
    const convert = words.conversions[`${source} ${to.kind}`];
    return convert?.(value, to, lossy) ?? words.nothing(to);
  };
}

/** Whether every value of a type can be turned into one of another. */
export function alwaysConverts(from: ColumnType, to: ColumnType): boolean {
  if (to.kind === "long text") return true;
  if (to.kind === "text") {
    return (from.kind === "text" ? from.max : (longest[from.kind] ?? Infinity)) <= to.max;
  }
  if (from.kind === "decimal" && to.kind === "decimal") return from.places <= to.places;
  return from.kind === to.kind || always.has(`${from.kind} ${to.kind}`);
}

const always: ReadonlySet<string> = new Set([
  "integer decimal",
  "boolean integer",
  "boolean decimal",
  "date datetime",
]);

/** How long the texts of other types can be. */
const longest: Partial<Record<Kind, number>> = {
  integer: 20,
  decimal: 20,
  boolean: 3,
  date: 10,
  time: 5,
  datetime: 20,
};
