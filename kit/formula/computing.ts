/**
 * What formulas compute with outside of a database. An empty value is null. Numbers are decimals of 15 digits at most, which
 * doubles distinguish: every result is rounded to the places that it can have, and one with more digits is empty.
 */

import { isAscii } from "./ascii.ts";

/** A value of a formula: dates as `2026-05-03`, times as `07:00`, moments as `2026-05-03T07:00:00Z`, spans in days. */
export type Computed = number | string | boolean | null;

type Maybe<Value> = Value | null;

const powers = [1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15];
const power = (places: number) => powers[places] ?? 10 ** places;

/** A result as the decimal that it represents; empty where it has more than 15 digits. */
function exact(result: number, places: number): Maybe<number> {
  const scaled = Math.round(result * power(places));
  return Math.abs(scaled) < 1e15 ? scaled / power(places) + 0 : null;
}

/** Whether a number has no more than 15 digits, of which `places` are behind the point. */
function fits(value: number, places: number): boolean {
  return Math.abs(value) * power(places) < 1e15;
}

/** Each has at most `places` digits behind the point. */
export function plus(left: Maybe<number>, right: Maybe<number>, places: number): Maybe<number> {
  return left === null || right === null ? null : exact(left + right, places);
}

export function minus(left: Maybe<number>, right: Maybe<number>, places: number): Maybe<number> {
  return left === null || right === null ? null : exact(left - right, places);
}

/** `places` are those of both factors together. */
export function times(left: Maybe<number>, right: Maybe<number>, places: number): Maybe<number> {
  return left === null || right === null ? null : exact(left * right, places);
}

/** The places of what is no decimal: a quotient, an average. */
export const quotientPlaces = 6;

/** A quotient, rounded to six places; empty where the divisor is 0. Both have at most `places`. */
export function dividedBy(
  left: Maybe<number>,
  right: Maybe<number>,
  places: number,
): Maybe<number> {
  if (left === null || right === null || right === 0) return null;
  if (!fits(left, places) || !fits(right, places)) return null;
  const scaled = Math.abs(left / right) * power(quotientPlaces);
  if (scaled >= 1e15) return null;
  const sign = left < 0 === right < 0 ? 1 : -1;
  const beyond = scaled - Math.floor(scaled);
  // Where it is close, whole numbers decide which way to round.
  const rounded =
    Math.abs(beyond - 0.5) > 1e-12 + scaled * 1e-15
      ? Math.round(scaled)
      : Number(halfUp(scaledWhole(left, places) * 1_000_000n, scaledWhole(right, places)));
  return exact((sign * rounded) / power(quotientPlaces), quotientPlaces);
}

function scaledWhole(value: number, places: number): bigint {
  return BigInt(Math.round(Math.abs(value) * power(places)));
}

function halfUp(left: bigint, right: bigint): bigint {
  return (left * 2n + right) / (right * 2n);
}

/** What a division leaves, with the sign of what was divided; empty where the divisor is 0. */
export function remainder(
  left: Maybe<number>,
  right: Maybe<number>,
  places: number,
): Maybe<number> {
  if (left === null || right === null || right === 0) return null;
  if (!fits(left, places) || !fits(right, places)) return null;
  const [whole, divisor] = [left, right].map((value) => Math.round(value * power(places)));
  return ((whole ?? 0) % (divisor ?? 0)) / power(places) + 0;
}

/** A number with fewer places: halves are rounded away from zero. `from` are the places that it has. */
export function rounded(value: Maybe<number>, places: number, from: number): Maybe<number> {
  if (value === null || from <= places) return value;
  const unit = power(from - places);
  if (!fits(value, from)) return null;
  const whole = Math.round(Math.abs(value) * power(from));
  const kept = Math.floor(whole / unit) + ((whole % unit) * 2 >= unit ? 1 : 0);
  return (Math.sign(value) * kept) / power(places) + 0;
}

export function negative(value: Maybe<number>): Maybe<number> {
  return value === null ? null : 0 - value;
}

export function absolute(value: Maybe<number>): Maybe<number> {
  return value === null ? null : Math.abs(value);
}

/** The smallest of the values that aren't empty. */
export function smallest<Value extends Computed>(...values: Value[]): Maybe<Value> {
  return values.reduce<Maybe<Value>>(
    (least, value) => (value !== null && (least === null || value < least) ? value : least),
    null,
  );
}

export function largest<Value extends Computed>(...values: Value[]): Maybe<Value> {
  return values.reduce<Maybe<Value>>(
    (most, value) => (value !== null && (most === null || value > most) ? value : most),
    null,
  );
}

const texts = new Intl.Collator("und", { sensitivity: "accent" });

/** Whether two values come before each other as in a list: texts whatever their case. */
function compare(left: Computed, right: Computed): number {
  if (left === right) return 0;
  if (typeof left === "string" && typeof right === "string") {
    return isIso(left) && isIso(right) ? (left < right ? -1 : 1) : texts.compare(left, right);
  }
  return (left as number) < (right as number) ? -1 : 1;
}

const isIso = (text: string) => /^\d\d(:|\d\d-)/.test(text);

/** Whether two values are the same; two empty ones are. */
export function equal(left: Computed, right: Computed): boolean {
  if (left === null || right === null) return left === right;
  return compare(left, right) === 0;
}

/** A comparison is false where one of the two is empty. */
export function less(left: Computed, right: Computed): boolean {
  return left !== null && right !== null && compare(left, right) < 0;
}

export function atMost(left: Computed, right: Computed): boolean {
  return left !== null && right !== null && compare(left, right) <= 0;
}

/** Whether a text holds another one, whatever the case; an empty one holds nothing, and is in nothing. */
export function holds(text: Maybe<string>, part: Maybe<string>): boolean {
  return text !== null && part !== null && small(text).includes(small(part));
}

export function startsWith(text: Maybe<string>, part: Maybe<string>): boolean {
  return text !== null && part !== null && small(text).startsWith(small(part));
}

const small = (text: string) => (isAscii(text) ? text.toLowerCase() : byLetter(text, lowerLetter));
const lowerLetter = (letter: string) => letter.toLowerCase();
const upperLetter = (letter: string) => letter.toUpperCase();

/** Letter by letter, and only where a letter stays one. */
function byLetter(text: string, change: (letter: string) => string): string {
  return Array.from(text, (letter) => {
    const changed = change(letter);
    return [...changed].length === 1 ? changed : letter;
  }).join("");
}

export function lower(text: Maybe<string>): Maybe<string> {
  return text === null ? null : small(text);
}

export function upper(text: Maybe<string>): Maybe<string> {
  return text === null ? null : byLetter(text, upperLetter);
}

/** In characters, as a person counts them. */
export function length(text: Maybe<string>): Maybe<number> {
  return text === null ? null : [...text].length;
}

/** Texts behind each other; what is empty is passed over. */
export function joined(...parts: Maybe<string>[]): Maybe<string> {
  return parts.join("") || null;
}

/** A number as a text, without zeros at the end. */
export function numberText(value: Maybe<number>, places: number): Maybe<string> {
  if (value === null) return null;
  const text = value.toFixed(places);
  return places === 0 ? text : text.replace(/\.?0+$/, "");
}

const dayMilliseconds = 86_400_000;
const firstDay = "0001-01-01";
const lastDay = "9999-12-31";

/** A day, or a moment, so many days later; empty outside of the years 1 to 9999. */
export function later(day: Maybe<string>, days: Maybe<number>): Maybe<string> {
  if (day === null || days === null || Math.abs(days) > 4_000_000) return null;
  const time = Date.parse(day.length === 10 ? `${day}T00:00:00Z` : day) + days * dayMilliseconds;
  const moment = new Date(time).toISOString();
  const found = day.length === 10 ? moment.slice(0, 10) : `${moment.slice(0, 19)}Z`;
  return moment.length === 24 && found >= firstDay && found.slice(0, 10) <= lastDay ? found : null;
}

/** The days from one day to another. */
export function daysBetween(from: Maybe<string>, to: Maybe<string>): Maybe<number> {
  return from === null || to === null
    ? null
    : Math.round((Date.parse(to) - Date.parse(from)) / dayMilliseconds);
}

/** The year, month or day of a date, or of a moment in UTC. */
export function partOf(day: Maybe<string>, part: "year" | "month" | "day"): Maybe<number> {
  if (day === null) return null;
  const [from, to] = { year: [0, 4], month: [5, 7], day: [8, 10] }[part] as [number, number];
  return Number(day.slice(from, to));
}
