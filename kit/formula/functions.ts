import type { ValueType } from "./value-type.ts";

/** What a function takes and gives. */
export interface FunctionRule {
  /** The types of what it takes, each one of several; the last one applies to all further ones if there may be more. */
  takes: readonly (readonly ValueType[])[];
  /** How many of them have to be there; all, unless it is said. */
  least?: number;
  /** Whether the last may come again and again. */
  more?: true;
  /** What it gives: a type, or that of what it took first. */
  gives: ValueType | "the same";
  /** Whether all that it takes has to be of one type. */
  alike?: true;
  example: string;
}

const number = ["number"] as const;
const text = ["text"] as const;
const day = ["date", "moment"] as const;
const ordered = ["number", "date", "time", "moment", "duration"] as const;
const span = ["duration"] as const;
const counted = ["number", "duration"] as const;

/** The functions on the values of one record. */
export const functions: Readonly<Record<string, FunctionRule>> = {
  round: {
    takes: [number, number],
    least: 1,
    gives: "number",
    example: "round(weight * price, 2)",
  },
  abs: { takes: [number], gives: "number", example: "abs(target - weight)" },
  min: {
    takes: [ordered, ordered],
    more: true,
    gives: "the same",
    alike: true,
    example: "min(first, second)",
  },
  max: {
    takes: [ordered, ordered],
    more: true,
    gives: "the same",
    alike: true,
    example: "max(frames, 0)",
  },
  length: { takes: [text], gives: "number", example: "length(code)" },
  lower: { takes: [text], gives: "text", example: "lower(code)" },
  upper: { takes: [text], gives: "text", example: "upper(code)" },
  year: { takes: [day], gives: "number", example: "year(installed)" },
  month: { takes: [day], gives: "number", example: "month(installed)" },
  day: { takes: [day], gives: "number", example: "day(installed)" },
  days: { takes: [["date"], ["date"]], gives: "number", example: "days(installed, today)" },
  hours: { takes: [span], gives: "number", example: "hours(worked)" },
  minutes: { takes: [span], gives: "number", example: "minutes(worked)" },
  seconds: { takes: [span], gives: "number", example: "seconds(lap)" },
  date: { takes: [number, number, number], gives: "date", example: "date(2026, 5, 3)" },
  today: { takes: [], gives: "date", example: "today" },
  now: { takes: [], gives: "moment", example: "now" },
};

/** What a function over the records of the other side gives. */
export interface RowsRule {
  /** The types that the field may have; undefined where the records themselves are meant. */
  takes?: readonly ValueType[];
  gives: ValueType | "the same";
  example: string;
}

/** The functions over records that refer to this one. Each may have a condition behind it. */
export const rowFunctions: Readonly<Record<string, RowsRule>> = {
  count: { gives: "number", example: "count(harvests)" },
  sum: { takes: counted, gives: "the same", example: "sum(harvests.weight)" },
  average: { takes: counted, gives: "the same", example: "average(harvests.weight)" },
  smallest: { takes: ordered, gives: "the same", example: "smallest(harvests.weight)" },
  largest: { takes: ordered, gives: "the same", example: "largest(harvests.weight)" },
  latest: { takes: ["date", "moment"], gives: "the same", example: "latest(inspections.date)" },
};
