import { quote } from "./cells.ts";
import type { DateOrder } from "./dates.ts";
import {
  countOf,
  exceptionsOf,
  type Found,
  type InferenceContext,
  mostlyFits,
  type Question,
  quantity,
  simple,
  type Test,
} from "./finding.ts";
import { isBirth, isClock, isLongSpan, isShortSpan, isSpan } from "./header-words.ts";
import type { ColumnProfile } from "./profile.ts";
import { typeBit } from "./type-detection.ts";

/** A column of days, or of moments. */
export function asDate(
  profile: ColumnProfile,
  context: InferenceContext,
  counted: number,
): Found | undefined {
  const isDate: Test = (bits) => (bits & (typeBit.dayFirst | typeBit.monthFirst)) !== 0;
  const all = countOf(profile, isDate);
  if (!mostlyFits(all, counted)) return undefined;
  const only = (one: number, other: number) =>
    countOf(profile, (bits) => (bits & one) !== 0 && (bits & other) === 0);
  const dayOnly = only(typeBit.dayFirst, typeBit.monthFirst);
  const monthOnly = only(typeBit.monthFirst, typeBit.dayFirst);
  const open = countOf(profile, (bits) => (bits & typeBit.ordered) !== 0 && isBoth(bits));
  const settled = dayOnly !== monthOnly;
  const dates: DateOrder = settled
    ? dayOnly > monthOnly
      ? "day first"
      : "month first"
    : (context.dates ?? "day first");
  const bit = dates === "day first" ? typeBit.dayFirst : typeBit.monthFirst;
  const fits: Test = (bits) => (bits & bit) !== 0;
  const moments = countOf(
    profile,
    (bits) => isDate(bits) && (bits & typeBit.moment) !== 0 && (bits & typeBit.midnight) === 0,
  );
  const ordered = dayOnly + monthOnly + open > 0;
  const order = dates === "day first" ? "the day before the month" : "the month before the day";
  const kind = moments * 10 > all ? ("datetime" as const) : ("date" as const);
  const reason = kind === "date" ? "not a date" : "not a date and time";
  const contradicting = Math.min(dayOnly, monthOnly);
  const short = countOf(profile, (bits) => isDate(bits) && (bits & typeBit.shortYear) !== 0);
  const century = short > 0 ? centuryOf(context) : undefined;
  const years = century ? `, years of two digits from ${century} to ${century + 99}` : "";
  return {
    kind,
    why: `${quantity(countOf(profile, fits), "date")}${kind === "date" ? "" : " with a time"}${ordered ? `, ${order}` : ""}${years}`,
    evidence: settled && ordered ? { dates } : {},
    ...(ordered &&
      !settled && {
        guess: `no date tells whether the day or the month stands first; ${context.dates ? "taken as in another column" : "taken for the day"}`,
      }),
    ...(ordered && !settled && { questions: [orderQuestion(dates)] }),
    hints: { ...(ordered && { dates }), ...(century && { century }) },
    exceptions: exceptionsOf(profile, fits, contradicting > 0 ? `${reason} with ${order}` : reason),
  };
}

function orderQuestion(taken: DateOrder): Question {
  const other: DateOrder = taken === "day first" ? "month first" : "day first";
  return {
    ask: "Which is first, the day or the month?",
    choices: [taken, other].map((dates) => ({ say: dates, set: { dates } })),
  };
}

/** The first of the hundred years that two digits stand for: births lie in the past, other days at most 20 years ahead. */
function centuryOf({ today, name }: InferenceContext): number {
  return Number(today.slice(0, 4)) - (isBirth(name) ? 99 : 79);
}

function isBoth(bits: number): boolean {
  return (bits & typeBit.dayFirst) !== 0 && (bits & typeBit.monthFirst) !== 0;
}

/** A column of spans of time: some can be no time of the day, or the header says so. */
export function asDuration(
  profile: ColumnProfile,
  { name, unit }: InferenceContext,
  counted: number,
): Found | undefined {
  const fits: Test = (bits) => (bits & typeBit.span) !== 0;
  const long = countOf(profile, (bits) => (bits & typeBit.onlySpan) !== 0);
  if (!mostlyFits(countOf(profile, fits), counted)) return undefined;
  if (!isSpan(name) && (long === 0 || isClock(name))) return undefined;
  const texts = profile.groups.flatMap(({ examples }) => examples.map(({ text }) => text.trim()));
  const inTwo = texts.filter((text) => /^-?\d+:\d\d$/.test(text));
  const found = simple("duration", "spans of time", profile, fits, "not a span of time");
  if (inTwo.length === 0) return found;
  // Only seconds have fractions.
  const isShort =
    texts.some((text) => /^-?\d+:\d\d[.,]\d+$/.test(text)) || isShortSpan(name) || unit === "min";
  const isSure = isShort || isLongSpan(name) || texts.some((text) => /h/i.test(text));
  const read = isShort ? "minutes and seconds" : "hours and minutes";
  const guess = `${quote(inTwo[0] ?? "")} is read as hours and minutes; \`spans: m:ss\` in the plan reads it as minutes and seconds`;
  return {
    ...found,
    why: `${found.why}, ${quote(inTwo[0] ?? "")} in ${read}`,
    hints: { spans: isShort ? "m:ss" : "h:mm" },
    ...(!isSure && {
      guess,
      questions: [
        {
          ask: "What are the two parts?",
          choices: [
            { say: "hours and minutes", set: { spans: "h:mm" } },
            { say: "minutes and seconds", set: { spans: "m:ss" } },
          ],
        },
      ],
    }),
  };
}

/** A column of times of the day. */
export function asTime(profile: ColumnProfile, { name }: InferenceContext, counted: number) {
  // What is a number as well, such as 8.30, is a time where the header says so.
  const others = isClock(name) ? typeBit.seconds : typeBit.seconds | typeBit.point | typeBit.comma;
  const fits: Test = (bits) => (bits & typeBit.time) !== 0 && (bits & others) === 0;
  if (!mostlyFits(countOf(profile, fits), counted)) return undefined;
  const spans = !isClock(name) && countOf(profile, (bits) => (bits & typeBit.spanLike) !== 0) > 0;
  const guess =
    "they may be spans of time or ratios rather than times of the day: if they are, write `duration` or `text`";
  const question: Question = {
    ask: "Are these times of the day?",
    choices: [
      { say: "times of the day", set: { type: "time" } },
      { say: "spans of time", set: { type: "duration" } },
      { say: "neither: keep the text", set: { type: "text" } },
    ],
  };
  const found = simple("time", "times", profile, fits, "not a time");
  return { ...found, ...(spans && { guess, questions: [question] }) };
}
