import {
  type ColumnKind,
  countOf,
  exceptionsOf,
  type Found,
  type InferenceContext,
  mostlyFits,
  type Question,
  quantity,
  type Test,
} from "./finding.ts";
import { isClock, isNumbering } from "./header-words.ts";
import { type Converted, type Currencies, marksOf } from "./marks.ts";
import { currencyOf, type DecimalSign, findNumber, placesOf } from "./numbers.ts";
import type { ColumnProfile } from "./profile.ts";
import { typeBit } from "./type-detection.ts";

/** A column of numbers: whole or not, with a unit or a currency, or percentages. */
export function asNumber(
  profile: ColumnProfile,
  context: InferenceContext,
  counted: number,
): Found | undefined {
  // A leading zero is part of a code, not of a number.
  if (countOf(profile, (bits) => (bits & typeBit.digits) !== 0) > 0) return undefined;
  if (!mostlyFits(countOf(profile, isNumber), counted)) return undefined;
  const signs = signsOf(profile, context, counted);
  const { decimals } = signs;
  if (isName(profile, decimals, context)) return undefined;
  const areClock = areTimes(profile, decimals, counted);
  if (areClock && isClock(context.name)) return undefined;
  const bit = decimals === "point" ? typeBit.point : typeBit.comma;
  const numbers: Test = (bits) => (bits & bit) !== 0;
  const marks = marksOf(profile, countOf(profile, numbers));
  if (marks === "mixed") return undefined;
  if ("currencies" in marks) return inCurrencies(profile, signs, numbers, marks);
  const { mark, others, converted } = marks;
  const currency = currencyOf(mark ?? context.unit ?? "");
  const unit = mark && !currency && mark !== "%" ? mark : context.unit;
  const isPercent = mark === "%" || unit === "%";
  const isMoney = currency !== undefined || (context.named === "money" && !unit && !isPercent);
  const hasFractions = profile.written[decimals].most > 0 || profile.places[decimals] > 0;
  const becomeFractions = converted.some(({ factor }) => factor.includes("."));
  const kind = isMoney
    ? ("money" as const)
    : isPercent
      ? ("percent" as const)
      : hasFractions || becomeFractions
        ? ("decimal" as const)
        : ("integer" as const);
  const bare = mark === "%" ? bareFractions(profile) : undefined;
  const exceptions = exceptionsOf(profile, numbers, "not a number");
  for (const { text, count, examples } of others) {
    const reason = `in ${text}, not in ${mark}`;
    exceptions.count += count;
    exceptions.examples.push(...examples.map((example) => ({ ...example, reason })));
  }
  exceptions.count += bare?.count ?? 0;
  exceptions.examples.push(...(bare?.examples ?? []));
  const guess = [
    signs.isOpen &&
      `a number such as \`1.234\` or \`1,234\` can be read in two ways; the ${decimals} is taken for the sign before the fraction`,
    areClock && !isMoney && "these may be times: if they are, write `time`",
    !isMoney &&
      losesZeros(profile, decimals) &&
      "zeros at the end aren't kept: if these are names, such as versions, write `text`",
  ]
    .filter(Boolean)
    .join("; ");
  const questions = [
    ...(signs.isOpen ? [signQuestion(decimals)] : []),
    ...(areClock && !isMoney ? [kindQuestion("Are these numbers?", kind, "times", "time")] : []),
    ...(!isMoney && losesZeros(profile, decimals)
      ? [kindQuestion("Do zeros at the end matter?", kind, "yes: keep the text", "text")]
      : []),
    ...(bare ? [bareQuestion] : []),
  ];
  const isPositive = countOf(profile, (bits) => (bits & typeBit.negative) !== 0) === 0;
  const isAmount = currency !== undefined || unit === "%" || amounts.test(unit ?? "");
  return {
    kind,
    why: [
      quantity(profile.filled - exceptions.count, kind === "integer" ? "whole number" : "number"),
      mark && ` in ${mark}`,
      ...converted.map(conversionWords),
      decimals === "comma" && hasFractions && ", the comma before the fraction",
    ]
      .filter(Boolean)
      .join(""),
    ...(guess && { guess }),
    ...(questions.length > 0 && { questions }),
    evidence: signs.isSettled ? { decimals } : {},
    hints: {
      ...(signs.matters && decimals === "comma" && { decimals }),
      ...(converted.length > 0 && {
        units: Object.fromEntries(converted.map(({ text, factor }) => [text, factor])),
      }),
      ...(bare && { bare: "ask" as const }),
    },
    ...(unit && unit !== "%" && !currency && { unit }),
    ...(currency && { currency }),
    places: Math.min(10, mostPlaces(profile.places[decimals], converted)),
    positive: isPositive && isAmount,
    exceptions,
  };
}

function signQuestion(taken: DecimalSign): Question {
  return {
    ask: "Which sign is before the fraction?",
    choices: [taken, otherSign(taken)].map((decimals) => ({
      say: `the ${decimals}`,
      set: { decimals },
    })),
  };
}

function kindQuestion(ask: string, kind: ColumnKind, say: string, other: ColumnKind): Question {
  const taken = other === "text" ? "no: they are numbers" : "numbers";
  return {
    ask,
    choices: [
      { say: taken, set: { type: kind } },
      { say, set: { type: other } },
    ],
  };
}

const bareQuestion: Question = {
  ask: "What are the numbers without a percent sign?",
  choices: [
    { say: "set them aside", set: { bare: "ask" } },
    { say: "percentages", set: { bare: "percent" } },
    { say: "fractions: 0.8 is 80 %", set: { bare: "fraction" } },
  ],
};

const isNumber: Test = (bits) => (bits & (typeBit.point | typeBit.comma)) !== 0;

/** Amounts, each in its own currency. */
function inCurrencies(
  profile: ColumnProfile,
  { decimals, matters, isSettled }: Signs,
  numbers: Test,
  { currencies, marked }: Currencies,
): Found {
  const exceptions = exceptionsOf(profile, numbers, "not a number");
  const fitting = profile.filled - exceptions.count;
  const bare = fitting > marked ? `, ${fitting - marked} without one` : "";
  return {
    kind: "decimal",
    why: `${quantity(fitting, "number")} in ${currencies.join(", ")}${bare}: an amount and its currency`,
    currencies: { codes: currencies, isEverywhere: bare === "" },
    evidence: isSettled ? { decimals } : {},
    hints: matters && decimals === "comma" ? { decimals } : {},
    places: Math.max(2, Math.min(10, profile.places[decimals])),
    exceptions,
  };
}

type Signs = ReturnType<typeof signsOf>;

/** Which sign is before the fraction, and whether that is certain. */
function signsOf(profile: ColumnProfile, context: InferenceContext, counted: number) {
  const only = (one: number, other: number) =>
    countOf(profile, (bits) => (bits & one) !== 0 && (bits & other) === 0);
  const pointOnly = only(typeBit.point, typeBit.comma);
  const commaOnly = only(typeBit.comma, typeBit.point);
  const open = countOf(
    profile,
    (bits) => isNumber(bits) && (bits & typeBit.typed) === 0 && isOpen(bits),
  );
  const fractionsBy = (bit: number) => countOf(profile, (bits) => (bits & bit) !== 0);
  // A few numbers with three digits behind a sign among whole ones are thousands; where most have
  // them, they are fractions, though money has two places.
  const pointIsFraction = fractionsBy(typeBit.pointFraction) > fractionsBy(typeBit.commaFraction);
  const areFractions = open * 2 > counted && context.named !== "money";
  const likely = pointIsFraction === areFractions ? "point" : "comma";
  const isSettled = pointOnly !== commaOnly;
  const settled = pointOnly > commaOnly ? "point" : "comma";
  // Money has two places, whatever the other columns say.
  const thousands =
    context.decimals && areThousands(profile, context) ? context.decimals : undefined;
  const said = thousands ? otherSign(thousands) : context.decimals;
  const decimals: DecimalSign = isSettled ? settled : (said ?? likely);
  return {
    decimals,
    isSettled,
    isOpen: open > 0 && !isSettled && (!context.decimals || thousands !== undefined),
    /** Whether the cells are read otherwise under the other sign. */
    matters: open > 0 || commaOnly + pointOnly > 0,
  };
}

/** Whether all amounts would have three places under the sign of the other columns. */
function areThousands({ written }: ColumnProfile, { named, decimals }: InferenceContext): boolean {
  if (named !== "money" || !decimals) return false;
  const { least, most } = written[decimals];
  return least === 3 && most === 3;
}

function otherSign(sign: DecimalSign): DecimalSign {
  return sign === "point" ? "comma" : "point";
}

function conversionWords({ text, count, examples: [first], factor }: Converted): string {
  const example = first ? ` (row ${first.row}, ${first.text}, times ${factor})` : "";
  return `, ${count} converted from ${text}${example}`;
}

/** Digits behind the point that numbers can have once other units are converted. */
function mostPlaces(places: number, converted: readonly Converted[]): number {
  return Math.max(places, ...converted.map(({ factor }) => placesOf(factor) + places));
}

/** Units that are never below zero. */
const amounts =
  /^(k|m|d|c|µ)?(g|l|m)$|^(m|km|cm|ha)[²³23]?$|^(ha|t|lbs?|oz|ft|in|pcs?|frames?|hives?|jars?|min|h|hours?|years?|days?)$/i;

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
  // Names that look like numbers have points.
  if (decimals === "comma") return false;
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
