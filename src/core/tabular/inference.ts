import { isInvisible, readable } from "../naming/characters.ts";
import { nearest } from "../naming/nearest.ts";
import { folded } from "./cells.ts";
import type { DateOrder } from "./dates.ts";
import type { Spelling } from "./distinct.ts";
import { currencyOf, type DecimalSign } from "./numbers.ts";
import type { ColumnProfile, Example, LookGroup } from "./profile.ts";
import { noWords, tickMarks, typeBit, yesWords } from "./type-detection.ts";

/** Kinds of field that a column can be taken for by its values alone. */
export type ColumnKind =
  | "text"
  | "long text"
  | "integer"
  | "decimal"
  | "money"
  | "percent"
  | "boolean"
  | "date"
  | "time"
  | "datetime"
  | "email"
  | "url"
  | "phone"
  | "color"
  | "choice";

/** How the texts of a column are to be read, where that isn't plain. */
export interface ReadingHints {
  dates?: DateOrder;
  decimals?: DecimalSign;
}

/** What a column is taken for, and why. */
export interface Finding {
  kind: ColumnKind;
  /** The evidence, in words. */
  why: string;
  /** What could as well be otherwise. */
  guess?: string;
  hints: ReadingHints;
  unit?: string;
  places?: number;
  /** Whether no number is below zero. */
  positive?: boolean;
  choices?: string[];
  /** The currency of the amounts. */
  currency?: string;
  /** Cells that don't fit. */
  exceptions: { count: number; examples: Exception[] };
}

export interface Exception extends Example {
  reason: string;
  /** What was probably meant. */
  near?: string;
}

/** What is known from elsewhere, for what a column doesn't tell by itself. */
export interface InferenceContext extends ReadingHints {
  /** The kind that the column's name suggests; undefined for none. */
  named: string | undefined;
  /** The unit in the header. */
  unit?: string | undefined;
}

type Test = (bits: number) => boolean;

/** Takes a column for what nearly all of its cells are. */
export function inferColumn(profile: ColumnProfile, context: InferenceContext): Finding {
  const counted =
    profile.filled - countOf(profile, (bits) => (bits & (typeBit.fault | typeBit.nul)) !== 0);
  if (counted === 0) return emptyColumn(context);
  const candidates = [asYesNo, asPhoneByName, asDate, asNumber, asTime, asAddress, asChoice];
  for (const candidate of candidates) {
    const finding = candidate(profile, context, counted);
    if (finding) return finding;
  }
  return asText(profile, context.named);
}

function emptyColumn({ named }: InferenceContext): Finding {
  const kind = (named ?? "text") as ColumnKind;
  return {
    kind,
    why: kind === "text" ? "no cell has a value" : "no cell has a value; taken by its name",
    hints: {},
    exceptions: { count: 0, examples: [] },
  };
}

function countOf({ groups }: ColumnProfile, test: Test): number {
  return groups.reduce((sum, { bits, count }) => sum + (test(bits) ? count : 0), 0);
}

/** Whether so many cells fit that the others are mistakes. */
function mostlyFits(fitting: number, counted: number): boolean {
  const others = counted - fitting;
  return fitting >= 2 || others === 0
    ? others <= Math.max(counted > 3 ? 1 : 0, counted * 0.1)
    : false;
}

/** The cells that don't pass, as exceptions with a reason. */
function exceptionsOf(profile: ColumnProfile, fits: Test, reason: string): Finding["exceptions"] {
  const bad = profile.groups.filter(({ bits }) => !fits(bits));
  const why = ({ bits }: LookGroup) =>
    bits & typeBit.fault
      ? "in error"
      : bits & typeBit.nul
        ? "a character that can't be kept"
        : reason;
  return {
    count: bad.reduce((sum, { count }) => sum + count, 0),
    examples: bad
      .flatMap((group) => group.examples.map((example) => ({ ...example, reason: why(group) })))
      .sort((a, b) => a.row - b.row)
      .slice(0, 5),
  };
}

function asYesNo(profile: ColumnProfile, _context: InferenceContext, counted: number) {
  const fits: Test = (bits) => (bits & (typeBit.yesNo | typeBit.tick)) !== 0;
  if (!mostlyFits(countOf(profile, fits), counted) || profile.distinct.overflowed) return undefined;
  const words = [...profile.distinct.values.keys()];
  const yes = words.filter((word) => yesWords.has(word) || tickMarks.has(word));
  const no = words.filter((word) => noWords.has(word));
  const ticks = yes.filter((word) => tickMarks.has(word));
  const marks = ticks.length === yes.length || yes.every((word) => word.length > 1);
  if (no.length === 0 && (profile.blanks === 0 || !marks)) return undefined;
  if (yes.length === 0 && !no.some((word) => word.length > 1)) return undefined;
  const letters = [...yes, ...no].filter((word) => word.length === 1 && !tickMarks.has(word));
  if (letters.length > 2) return undefined;
  const said = [...yes, ...no].join(", ");
  const exceptions = exceptionsOf(profile, fits, "neither yes nor no");
  if (profile.blanks + exceptions.count === 0 || no.length === 0) {
    const why = no.length === 0 ? `${said} or blank, which counts as no` : `only ${said}`;
    const guess = "blank is taken for no: to keep it apart, write choice yes";
    const open = no.length === 0 && ticks.length !== yes.length;
    return { kind: "boolean" as const, why, ...(open && { guess }), hints: {}, exceptions };
  }
  // A tick box knows no third state, and blank may well be one.
  return {
    kind: "choice" as const,
    choices: ["yes", "no"],
    why: `only ${said}`,
    guess: `${profile.blanks + exceptions.count} cells say neither: to count them as no, write boolean`,
    hints: {},
    exceptions,
  };
}

function asPhoneByName(profile: ColumnProfile, { named }: InferenceContext, counted: number) {
  const fits: Test = (bits) => (bits & typeBit.phone) !== 0 || (bits & typeBit.point) !== 0;
  if (named !== "phone" || !mostlyFits(countOf(profile, fits), counted)) return undefined;
  return simple("phone", "telephone numbers", profile, fits, "not a telephone number");
}

function simple(
  kind: ColumnKind,
  what: string,
  profile: ColumnProfile,
  fits: Test,
  reason: string,
): Finding {
  const exceptions = exceptionsOf(profile, fits, reason);
  const fitting = profile.filled - exceptions.count;
  return { kind, why: `${fitting} ${what}`, hints: {}, exceptions };
}

function asDate(
  profile: ColumnProfile,
  context: InferenceContext,
  counted: number,
): Finding | undefined {
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
  return {
    kind,
    why: `${countOf(profile, fits)} ${kind === "date" ? "dates" : "dates with a time"}${ordered ? `, ${order}` : ""}`,
    ...(ordered &&
      !settled && {
        guess: `no date tells whether the day or the month stands first; ${context.dates ? "taken as in another column" : "taken for the day"}`,
      }),
    hints: ordered ? { dates } : {},
    exceptions: exceptionsOf(profile, fits, contradicting > 0 ? `${reason} with ${order}` : reason),
  };
}

function isBoth(bits: number): boolean {
  return (bits & typeBit.dayFirst) !== 0 && (bits & typeBit.monthFirst) !== 0;
}

/** Units that are never below zero. */
const amounts =
  /^(k|m|d|c|µ)?(g|l|m)$|^(m|km|cm|ha)[²³23]?$|^(ha|t|lbs?|oz|ft|in|pcs?|frames?|hives?|jars?|min|h|hours?|years?|days?)$/i;

function asNumber(
  profile: ColumnProfile,
  context: InferenceContext,
  counted: number,
): Finding | undefined {
  const isNumber: Test = (bits) => (bits & (typeBit.point | typeBit.comma)) !== 0;
  // A leading zero is part of a code, not of a number.
  if (countOf(profile, (bits) => (bits & typeBit.digits) !== 0) > 0) return undefined;
  if (!mostlyFits(countOf(profile, isNumber), counted)) return undefined;
  const pointOnly = countOf(
    profile,
    (bits) => (bits & typeBit.point) !== 0 && (bits & typeBit.comma) === 0,
  );
  const commaOnly = countOf(
    profile,
    (bits) => (bits & typeBit.comma) !== 0 && (bits & typeBit.point) === 0,
  );
  const open = countOf(
    profile,
    (bits) => isNumber(bits) && (bits & typeBit.typed) === 0 && isOpen(bits),
  );
  const settled = pointOnly !== commaOnly;
  const fractionsBy = (bit: number) => countOf(profile, (bits) => (bits & bit) !== 0);
  // A few numbers with three digits behind a sign among whole ones are thousands; where most have
  // them, they are fractions.
  const pointIsFraction = fractionsBy(typeBit.pointFraction) > fractionsBy(typeBit.commaFraction);
  const whole = pointIsFraction === open * 2 > counted ? "point" : "comma";
  const decimals: DecimalSign = settled
    ? pointOnly > commaOnly
      ? "point"
      : "comma"
    : (context.decimals ?? whole);
  const bit = decimals === "point" ? typeBit.point : typeBit.comma;
  const fraction = decimals === "point" ? typeBit.pointFraction : typeBit.commaFraction;
  const numbers: Test = (bits) => (bits & bit) !== 0;
  const fractions = countOf(profile, (bits) => (bits & fraction) !== 0);
  const mark = markOf(profile, countOf(profile, numbers));
  const currency = mark && currencyOf(mark.text);
  const unit = mark && !currency && mark.text !== "%" ? mark.text : context.unit;
  const kind = currency
    ? ("money" as const)
    : mark?.text === "%" || unit === "%"
      ? ("percent" as const)
      : fractions > 0
        ? ("decimal" as const)
        : context.named === "money"
          ? ("money" as const)
          : ("integer" as const);
  const exceptions = exceptionsOf(profile, numbers, "not a number");
  const strange = mark ? otherMarks(profile, mark.text) : [];
  exceptions.count += strange.reduce((sum, { count }) => sum + count, 0);
  exceptions.examples.push(
    ...strange.flatMap(({ text, examples }) =>
      examples.map((example) => ({ ...example, reason: `in ${text}, not in ${mark?.text}` })),
    ),
  );
  const places = decimals === "point" ? profile.places.point : profile.places.comma;
  const positive = countOf(profile, (bits) => (bits & typeBit.negative) !== 0) === 0;
  return {
    kind: kind === "decimal" && context.named === "money" ? "money" : kind,
    why: [
      quantity(profile.filled - exceptions.count, fractions > 0 ? "number" : "whole number"),
      mark && ` in ${mark.text}`,
      decimals === "comma" && fractions > 0 && ", the comma before the fraction",
    ]
      .filter(Boolean)
      .join(""),
    ...(open > 0 &&
      !settled && {
        guess: `a number such as \`1.234\` or \`1,234\` can be read in two ways; the ${decimals} is taken for the sign before the fraction`,
      }),
    hints: (open > 0 || commaOnly + pointOnly > 0) && decimals === "comma" ? { decimals } : {},
    ...(unit && unit !== "%" && !currency && { unit }),
    ...(currency && { currency }),
    places: Math.min(10, places),
    positive:
      positive &&
      (Boolean(currency) || (unit !== undefined && (unit === "%" || amounts.test(unit)))),
    exceptions,
  };
}

function isOpen(bits: number): boolean {
  const both = (bits & typeBit.point) !== 0 && (bits & typeBit.comma) !== 0;
  return both && ((bits & typeBit.pointFraction) !== 0) !== ((bits & typeBit.commaFraction) !== 0);
}

/** The unit, currency or percent sign of the numbers, if it is nearly the only one. */
function markOf(profile: ColumnProfile, numbers: number) {
  const marks = [...profile.marks.values()].sort((a, b) => b.count - a.count);
  const [first] = marks;
  if (!first) return undefined;
  const marked = marks.reduce((sum, { count }) => sum + count, 0);
  // Bare numbers beside a few with a unit are meant in that unit.
  return first.count * 10 >= marked * 6 && marked <= numbers ? first : undefined;
}

function otherMarks(profile: ColumnProfile, mark: string) {
  return [...profile.marks.values()].filter(({ text }) => !sameMark(text, mark));
}

/** Whether two signs or units mean the same: `kg`, `KG`, `kgs.`; `€`, `EUR`. */
export function sameMark(one: string, other: string): boolean {
  const currency = currencyOf(one);
  if (currency) return currency === currencyOf(other);
  const plain = (mark: string) =>
    folded(mark)
      .replace(/\.$/, "")
      .replace(/(?<=..)s$/, "");
  return plain(one) === plain(other);
}

function asTime(profile: ColumnProfile, _context: InferenceContext, counted: number) {
  const fits: Test = (bits) => (bits & typeBit.time) !== 0;
  return mostlyFits(countOf(profile, fits), counted)
    ? simple("time", "times", profile, fits, "not a time")
    : undefined;
}

const addresses: readonly (readonly [ColumnKind, number, string, string])[] = [
  ["email", typeBit.email, "email addresses", "not an email address"],
  ["url", typeBit.url, "web addresses", "not a web address"],
  ["color", typeBit.color, "colours", "not a colour such as #ffcc00"],
  ["phone", typeBit.phone, "telephone numbers", "not a telephone number"],
];

function asAddress(profile: ColumnProfile, _context: InferenceContext, counted: number) {
  for (const [kind, bit, what, reason] of addresses) {
    const fits: Test = (bits) => (bits & bit) !== 0;
    // Codes of digits look like telephone numbers; those that are, have a plus or gaps.
    const plain = countOf(
      profile,
      (bits) => fits(bits) && (bits & (typeBit.digits | typeBit.point)) !== 0,
    );
    if (kind === "phone" && plain * 2 > counted) continue;
    if (mostlyFits(countOf(profile, fits), counted))
      return simple(kind, what, profile, fits, reason);
  }
  return undefined;
}

const mostChoices = 12;
const longestChoice = 40;

function asChoice(profile: ColumnProfile, { named }: InferenceContext, counted: number) {
  const { distinct } = profile;
  const sound: Test = (bits) => (bits & (typeBit.fault | typeBit.nul)) === 0;
  if (distinct.overflowed || profile.longest > longestChoice || distinct.size < 2) return undefined;
  // A few sentences that repeat are notes all the same, and codes of digits are codes.
  if (named === "long text" || countOf(profile, (bits) => (bits & typeBit.digits) !== 0) > 0) {
    return undefined;
  }
  const values = [...distinct.values.values()].filter(({ rows }) => rows.length > 0);
  const faults = new Set(
    profile.groups
      .filter(({ bits }) => !sound(bits))
      .flatMap(({ examples }) => examples.map(({ text }) => folded(text))),
  );
  const words = values
    .map((value) => ({ ...value, text: usualSpelling(value.spellings) }))
    .filter(({ text }) => !faults.has(folded(text)))
    .sort((a, b) => a.index - b.index);
  const often = words.filter(({ count }) => count > 1);
  const rare = words.filter(({ count }) => count * 10 <= counted / Math.max(1, often.length));
  const misspelt = rare.flatMap((word) => {
    const near = nearest(
      word.text,
      often.filter((other) => other.count >= 4 * word.count).map(({ text }) => text),
    );
    return near ? [{ word, near }] : [];
  });
  const wrong = new Set(misspelt.map(({ word }) => word));
  const choices = words.filter((word) => !wrong.has(word)).map(({ text }) => text);
  if (choices.length < 2 || choices.length > mostChoices || counted < 3 * choices.length)
    return undefined;
  const wordy = choices.filter((text) => text.split(/\s+/).length > 3).length;
  if (
    wordy * 2 > choices.length ||
    choices.some((text) => readable(text) !== text || isInvisible(text))
  )
    return undefined;
  const several = values.filter(({ spellings }) => spellings.length > 1);
  const exceptions = exceptionsOf(profile, sound, "");
  for (const { word, near } of misspelt) {
    exceptions.count += word.count;
    exceptions.examples.push(
      ...word.rows.map((row) => ({ row, text: word.text, reason: "not among the choices", near })),
    );
  }
  return {
    kind: "choice" as const,
    choices,
    why: `${counted} cells have ${choices.length} values${several.length > 0 ? ", spelled alike but for case and space" : ""}`,
    hints: {},
    exceptions,
  };
}

/** The spelling that occurs most; the first of those. */
export function usualSpelling(spellings: readonly Spelling[]): string {
  let best = "";
  let most = 0;
  for (const { text, count } of spellings) {
    if (count > most) {
      most = count;
      best = text;
    }
  }
  return best.trim().replace(/\s+/gu, " ");
}

function asText(profile: ColumnProfile, named: string | undefined): Finding {
  const sound: Test = (bits) => (bits & (typeBit.fault | typeBit.nul)) === 0;
  const long =
    countOf(profile, (bits) => (bits & typeBit.long) !== 0) > 0 ||
    profile.longest > 160 ||
    named === "long text";
  const zeros = countOf(profile, (bits) => (bits & typeBit.digits) !== 0);
  const mixed = countOf(profile, (bits) => (bits & (typeBit.point | typeBit.comma)) !== 0);
  const why =
    zeros > 0 && mixed === profile.filled
      ? `digits, but ${zeros} begin with 0 or are too long for a number`
      : `${quantity(profile.filled, "text")} of up to ${quantity(profile.longest, "character")}`;
  return {
    kind: long ? "long text" : "text",
    why,
    hints: {},
    exceptions: exceptionsOf(profile, sound, ""),
  };
}

function quantity(number: number, one: string): string {
  return `${number} ${one}${number === 1 ? "" : "s"}`;
}
