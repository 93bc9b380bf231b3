import { isInvisible, readable } from "../naming/characters.ts";
import { nearest } from "../naming/nearest.ts";
import { folded } from "./cells.ts";
import type { DateOrder } from "./dates.ts";
import { isBirth, isClock, isNumbering } from "./header-words.ts";
import { nearDuplicates } from "./near-duplicates.ts";
import { currencyOf, type DecimalSign, findNumber, placesOf } from "./numbers.ts";
import type { BareNumbers } from "./plan.ts";
import type { ColumnProfile, Example, LookGroup } from "./profile.ts";
import { differByCase, usualSpelling, waysOf } from "./spellings.ts";
import { noWords, tickMarks, typeBit, yesWords } from "./type-detection.ts";
import { unitFactor } from "./units.ts";

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
  century?: number;
  units?: Record<string, string>;
  bare?: BareNumbers;
}

/** What a column is taken for, and why. */
export interface Finding {
  kind: ColumnKind;
  /** The evidence, in words. */
  why: string;
  /** What could as well be otherwise. */
  guess?: string;
  hints: ReadingHints;
  /** How dates and numbers are written, where this column leaves no doubt. */
  evidence: Evidence;
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

export interface Evidence {
  dates?: DateOrder;
  decimals?: DecimalSign;
}

export interface Exception extends Example {
  reason: string;
  /** What was probably meant. */
  near?: string;
}

/** What is known from elsewhere, for what a column doesn't tell by itself. */
export interface InferenceContext extends Evidence {
  /** This day. */
  today: string;
  /** Whether the sheet is one of a workbook, in which numbers needn't be texts. */
  workbook: boolean;
  /** The name of the column. */
  name: string;
  /** The kind that this suggests; undefined for none. */
  named: string | undefined;
  /** The unit in the header. */
  unit?: string | undefined;
}

type Test = (bits: number) => boolean;

/** What a kind is found by; without evidence where it has none. */
type Found = Omit<Finding, "evidence"> & { evidence?: Evidence };

/** Takes a column for what nearly all of its cells are. */
export function inferColumn(profile: ColumnProfile, context: InferenceContext): Finding {
  const counted =
    profile.filled - countOf(profile, (bits) => (bits & (typeBit.fault | typeBit.nul)) !== 0);
  if (counted === 0) return emptyColumn(context);
  const candidates = [asYesNo, asPhoneByName, asDate, asNumber, asTime, asAddress, asChoice];
  for (const candidate of candidates) {
    const finding = candidate(profile, context, counted);
    if (finding) return { evidence: {}, ...finding };
  }
  return asText(profile, context);
}

function emptyColumn({ named }: InferenceContext): Finding {
  const kind = (named ?? "text") as ColumnKind;
  return {
    kind,
    why: kind === "text" ? "no cell has a value" : "no cell has a value; taken by its name",
    hints: {},
    evidence: {},
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
): Found {
  const exceptions = exceptionsOf(profile, fits, reason);
  const fitting = profile.filled - exceptions.count;
  return { kind, why: `${fitting} ${what}`, hints: {}, exceptions };
}

function asDate(
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
    why: `${countOf(profile, fits)} ${kind === "date" ? "dates" : "dates with a time"}${ordered ? `, ${order}` : ""}${years}`,
    evidence: settled && ordered ? { dates } : {},
    ...(ordered &&
      !settled && {
        guess: `no date tells whether the day or the month stands first; ${context.dates ? "taken as in another column" : "taken for the day"}`,
      }),
    hints: { ...(ordered && { dates }), ...(century && { century }) },
    exceptions: exceptionsOf(profile, fits, contradicting > 0 ? `${reason} with ${order}` : reason),
  };
}

/** The first of the hundred years that two digits stand for: births lie in the past, other days at most 20 years ahead. */
function centuryOf({ today, name }: InferenceContext): number {
  return Number(today.slice(0, 4)) - (isBirth(name) ? 99 : 79);
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
): Found | undefined {
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
  // them, they are fractions, though money has two places.
  const pointIsFraction = fractionsBy(typeBit.pointFraction) > fractionsBy(typeBit.commaFraction);
  const areFractions = open * 2 > counted && context.named !== "money";
  const whole = pointIsFraction === areFractions ? "point" : "comma";
  const decimals: DecimalSign = settled
    ? pointOnly > commaOnly
      ? "point"
      : "comma"
    : (context.decimals ?? whole);
  if (isName(profile, decimals, context)) return undefined;
  const clock = areTimes(profile, decimals, counted);
  if (clock && isClock(context.name)) return undefined;
  const bit = decimals === "point" ? typeBit.point : typeBit.comma;
  const fraction = decimals === "point" ? typeBit.pointFraction : typeBit.commaFraction;
  const numbers: Test = (bits) => (bits & bit) !== 0;
  const fractions = countOf(profile, (bits) => (bits & fraction) !== 0);
  const marks = marksOf(profile, countOf(profile, numbers));
  if (marks === "mixed") return undefined;
  const { mark, others, converted } = marks;
  const headed = context.unit && !mark ? context.unit : undefined;
  const currency = currencyOf(mark ?? headed ?? "");
  const unit = mark && !currency && mark !== "%" ? mark : context.unit;
  const isPercent = mark === "%" || unit === "%";
  const isMoney = Boolean(currency) || (context.named === "money" && !unit && !isPercent);
  const written = profile.written[decimals].most;
  const kind = isMoney
    ? ("money" as const)
    : isPercent
      ? ("percent" as const)
      : fractions > 0 || written > 0 || converted.some(({ factor }) => factor.includes("."))
        ? ("decimal" as const)
        : ("integer" as const);
  const exceptions = exceptionsOf(profile, numbers, "not a number");
  exceptions.count += others.reduce((sum, { count }) => sum + count, 0);
  exceptions.examples.push(
    ...others.flatMap(({ text, examples }) =>
      examples.map((example) => ({ ...example, reason: `in ${text}, not in ${mark}` })),
    ),
  );
  const bare = isPercent && mark === "%" ? bareFractions(profile) : undefined;
  if (bare) {
    exceptions.count += bare.count;
    exceptions.examples.push(...bare.examples);
  }
  const places = Math.max(
    profile.places[decimals],
    ...converted.map(
      ({ factor }) => placesOf(factor) + (fractions > 0 ? profile.places[decimals] : 0),
    ),
  );
  const positive = countOf(profile, (bits) => (bits & typeBit.negative) !== 0) === 0;
  const guesses = [
    open > 0 &&
      !settled &&
      !context.decimals &&
      `a number such as \`1.234\` or \`1,234\` can be read in two ways; the ${decimals} is taken for the sign before the fraction`,
    !isMoney &&
      losesZeros(profile, decimals) &&
      "zeros at the end aren't kept: if these are names, such as versions, write `text`",
  ].filter(Boolean);
  const units = Object.fromEntries(converted.map(({ text, factor }) => [text, factor]));
  const hasHint = open > 0 || commaOnly + pointOnly > 0;
  return {
    kind,
    why: [
      quantity(profile.filled - exceptions.count, kind === "integer" ? "whole number" : "number"),
      mark && ` in ${mark}`,
      ...converted.map(
        ({ text, count, examples: [first], factor }) =>
          `, ${count} converted from ${text}${first ? ` (row ${first.row}, ${first.text}, times ${factor})` : ""}`,
      ),
      decimals === "comma" && fractions > 0 && ", the comma before the fraction",
    ]
      .filter(Boolean)
      .join(""),
    ...(guesses.length > 0 && { guess: guesses.join("; ") }),
    evidence: settled ? { decimals } : {},
    hints: {
      ...(hasHint && decimals === "comma" && { decimals }),
      ...(converted.length > 0 && { units }),
      ...(bare && { bare: "ask" as const }),
    },
    ...(unit && unit !== "%" && !currency && { unit }),
    ...(currency && { currency }),
    places: Math.min(10, places),
    positive:
      positive &&
      (Boolean(currency) || (unit !== undefined && (unit === "%" || amounts.test(unit)))),
    exceptions,
  };
}

/** Whether every number is a time as well, with two digits behind the sign: 8.30 and 10.00. */
function areTimes({ groups, written }: ColumnProfile, decimals: DecimalSign, counted: number) {
  const { least, most } = written[decimals];
  const times = groups.filter(({ bits }) => (bits & typeBit.time) !== 0);
  return least === 2 && most === 2 && times.reduce((sum, { count }) => sum + count, 0) === counted;
}

/** Whether what looks like numbers are names, of which writing a number back would lose something. */
function isName(
  profile: ColumnProfile,
  decimals: DecimalSign,
  { name, named, workbook }: InferenceContext,
): boolean {
  const { marks, distinct, longest, shortest } = profile;
  if (marks.size > 0 || named === "money") return false;
  const texts = countOf(profile, (bits) => (bits & typeBit.typed) === 0);
  if (texts < profile.filled) return false;
  const plain = profile.written[decimals].most === 0;
  // Digits of one length, and many of them: a chip, a barcode, an account.
  if (plain && shortest === longest && longest >= 10) return true;
  // Somebody made these texts in a workbook, where numbers were to be had.
  if (plain && workbook && isNumbering(name)) return true;
  if (isNumbering(name)) return endsInZero(profile, decimals);
  return (
    losesZeros(profile, decimals) && !distinct.overflowed && hasAlikeNumbers(profile, decimals)
  );
}

function endsInZero(profile: ColumnProfile, decimals: DecimalSign): boolean {
  const bit = decimals === "point" ? typeBit.zeroPoint : typeBit.zeroComma;
  return countOf(profile, (bits) => (bits & bit) !== 0) > 0;
}

/** Whether some numbers have fewer digits behind the sign than others, and some end in a zero: 1.9 beside 1.10. */
function losesZeros(profile: ColumnProfile, decimals: DecimalSign): boolean {
  const { least, most } = profile.written[decimals];
  return least < most && endsInZero(profile, decimals);
}

/** Whether two texts are the same number: 1.1 and 1.10. */
function hasAlikeNumbers({ distinct }: ColumnProfile, decimals: DecimalSign): boolean {
  const numbers = [...distinct.values.keys()].flatMap((text) => findNumber(text)?.[decimals] ?? []);
  return new Set(numbers).size < numbers.length;
}

function isOpen(bits: number): boolean {
  const both = (bits & typeBit.point) !== 0 && (bits & typeBit.comma) !== 0;
  return both && ((bits & typeBit.pointFraction) !== 0) !== ((bits & typeBit.commaFraction) !== 0);
}

interface Mark {
  text: string;
  count: number;
  examples: Example[];
}

interface Marks {
  /** The unit, currency or percent sign of the numbers; undefined for none. */
  mark?: string;
  /** Other units of the same quantity, and what makes them that. */
  converted: (Mark & { factor: string })[];
  /** What can't be made that: mistakes. */
  others: Mark[];
}

/** What goes with the numbers; "mixed" where it isn't one thing for nearly all. */
function marksOf(profile: ColumnProfile, numbers: number): Marks | "mixed" {
  const marks = joined([...profile.marks.values()]).sort((a, b) => b.count - a.count);
  const marked = marks.reduce((sum, { count }) => sum + count, 0);
  if (marks.length === 0) return { converted: [], others: [] };
  if (marked > numbers) return "mixed";
  const found = marks.map((target): Marks & { covered: number } => {
    const converted = marks.flatMap((other) => {
      const factor = other === target ? undefined : unitFactor(other.text, target.text);
      return factor === undefined ? [] : [{ ...other, factor }];
    });
    const others = marks.filter(
      (other) => other !== target && !converted.some(({ text }) => text === other.text),
    );
    const covered = marked - others.reduce((sum, { count }) => sum + count, 0);
    return { mark: target.text, converted, others, covered };
  });
  const best = found.reduce((one, other) => (other.covered > one.covered ? other : one));
  return best.covered * 10 >= marked * 9 || marked - best.covered === 1 ? best : "mixed";
}

/** Marks that mean the same, as one. */
function joined(marks: readonly Mark[]): Mark[] {
  const found: Mark[] = [];
  for (const mark of marks) {
    const same = found.find(({ text }) => sameMark(text, mark.text));
    if (!same) found.push({ ...mark, examples: [...mark.examples] });
    else {
      if (mark.count > same.count) same.text = mark.text;
      same.count += mark.count;
      same.examples.push(...mark.examples);
    }
  }
  return found;
}

/** Small numbers without a percent sign, where others have one: 0.8 beside 91 %. */
function bareFractions(profile: ColumnProfile) {
  const isBare: Test = (bits) => (bits & typeBit.small) !== 0 && (bits & typeBit.marked) === 0;
  const groups = profile.groups.filter(({ bits }) => isBare(bits));
  if (groups.length === 0) return undefined;
  return {
    count: groups.reduce((sum, { count }) => sum + count, 0),
    examples: groups.flatMap(({ examples }) =>
      examples.map((example) => ({ ...example, reason: "without a percent sign, and at most 1" })),
    ),
  };
}

/** Whether two signs or units mean the same: `kg`, `KG`, `kgs.`; `€`, `EUR`. */
export function sameMark(one: string, other: string): boolean {
  const currency = currencyOf(one);
  if (currency) return currency === currencyOf(other);
  const plain = (mark: string) =>
    folded(mark)
      .replace(/\.$/, "")
      .replace(/(?<=..)s$/, "");
  // A mega is no milli.
  const prefixes = [one, other].map((mark) => /^[Mm](?=\p{L})/u.exec(mark.trim())?.[0]);
  return plain(one) === plain(other) && prefixes[0] === prefixes[1];
}

function asTime(profile: ColumnProfile, { name }: InferenceContext, counted: number) {
  // What is a number as well, such as 8.30, is a time where the header says so.
  const others = isClock(name) ? typeBit.seconds : typeBit.seconds | typeBit.point | typeBit.comma;
  const fits: Test = (bits) => (bits & typeBit.time) !== 0 && (bits & others) === 0;
  if (!mostlyFits(countOf(profile, fits), counted)) return undefined;
  const spans = !isClock(name) && countOf(profile, (bits) => (bits & typeBit.spanLike) !== 0) > 0;
  const guess =
    "they may be spans of time or ratios rather than times of the day: if they are, write `text`";
  return { ...simple("time", "times", profile, fits, "not a time"), ...(spans && { guess }) };
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
  if (values.some(({ spellings }) => differByCase(spellings))) return undefined;
  const joined = values
    .map(({ spellings }) => waysOf(spellings))
    .filter(({ length }) => length > 1);
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
    why: `${counted} cells have ${choices.length} values${joined.length > 0 ? `; the same but for case: ${joined.map((ways) => ways.slice(0, 3).join(" = ")).join(", ")}` : ""}`,
    hints: {},
    exceptions,
  };
}

function asText(profile: ColumnProfile, { named }: InferenceContext): Finding {
  const sound: Test = (bits) => (bits & (typeBit.fault | typeBit.nul)) === 0;
  const long =
    countOf(profile, (bits) => (bits & typeBit.long) !== 0) > 0 ||
    profile.longest > 160 ||
    named === "long text";
  const zeros = countOf(profile, (bits) => (bits & typeBit.digits) !== 0);
  const numbers = countOf(profile, (bits) => (bits & (typeBit.point | typeBit.comma)) !== 0);
  const seconds = countOf(profile, (bits) => (bits & typeBit.seconds) !== 0);
  const marks = [...profile.marks.keys()];
  const near =
    profile.distinct.overflowed || long ? [] : nearDuplicates(profile.distinct.values.values());
  const all = (count: number) => count * 10 >= profile.filled * 9 && count > 0;
  const [why, guess] =
    zeros > 0 && numbers === profile.filled
      ? [`digits, but ${zeros} begin with 0 or are too long for a number`]
      : all(seconds)
        ? ["times with seconds, which a `time` doesn't keep"]
        : all(numbers) && marks.length > 1
          ? ["numbers", `in several units or currencies (${marks.join(", ")}): kept as texts`]
          : all(numbers)
            ? ["digits that are names: as numbers they would lose something"]
            : [
                `${quantity(profile.filled, "text")} of up to ${quantity(profile.longest, "character")}`,
              ];
  const [first] = near;
  const more = near.length > 1 ? ` and ${near.length - 1} more such pairs` : "";
  const doubts = [
    guess,
    first &&
      `"${first.one}" (row ${first.rows[0]}) and "${first.other}" (row ${first.rows[1]})${more} may be the same: \`replace\` in the plan makes them one`,
  ].filter(Boolean);
  return {
    kind: long ? "long text" : "text",
    why: why ?? "",
    ...(doubts.length > 0 && { guess: doubts.join("; ") }),
    hints: {},
    evidence: {},
    exceptions: exceptionsOf(profile, sound, ""),
  };
}

function quantity(number: number, one: string): string {
  return `${number} ${one}${number === 1 ? "" : "s"}`;
}
