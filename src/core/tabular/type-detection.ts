import * as z from "zod";
import { type Cell, cellText, folded } from "./cells.ts";
import { findDate, findTime } from "./dates.ts";
import { digitsOf, findNumber, placesOf } from "./numbers.ts";

/** What a text can be read as. One cell has several: `3.5` is a number, a time and may be a name. */
export const look = {
  /** A number if the point stands before the fraction, or if the comma does. */
  point: 1 << 0,
  comma: 1 << 1,
  /** It has a fraction, read so. */
  pointFraction: 1 << 2,
  commaFraction: 1 << 3,
  /** A percent sign, a currency or a unit goes with the number. */
  marked: 1 << 4,
  /** Digits that begin with 0, or too many for a number: a number would lose some. */
  digits: 1 << 5,
  negative: 1 << 6,
  yesNo: 1 << 7,
  /** A cross or a tick. */
  tick: 1 << 8,
  dayFirst: 1 << 9,
  monthFirst: 1 << 10,
  /** The order of day and month matters. */
  ordered: 1 << 11,
  /** A time goes with the day. */
  moment: 1 << 12,
  midnight: 1 << 13,
  time: 1 << 14,
  email: 1 << 15,
  url: 1 << 16,
  phone: 1 << 17,
  color: 1 << 18,
  /** More than a line of text takes. */
  long: 1 << 19,
  fault: 1 << 20,
  /** It holds a character that no database keeps. */
  nul: 1 << 21,
  /** The workbook knows the number or the date, so that nothing was guessed from digits. */
  typed: 1 << 22,
} as const;

/** What one value looks like. */
export interface Look {
  bits: number;
  /** What went with a number: `€`, `%`, `kg`. */
  mark: string;
  /** Digits behind the point, under either reading. */
  pointPlaces: number;
  commaPlaces: number;
}

const nothing: Look = { bits: 0, mark: "", pointPlaces: 0, commaPlaces: 0 };

/** The usual spellings of yes and of no. */
export const yesWords = new Set([
  "yes",
  "y",
  "true",
  "on",
  "ja",
  "j",
  "sí",
  "si",
  "s",
  "oui",
  "o",
  "sim",
  "verdadero",
  "wahr",
  "vrai",
]);
export const noWords = new Set([
  "no",
  "n",
  "false",
  "off",
  "nein",
  "non",
  "não",
  "nao",
  "nee",
  "falso",
  "falsch",
  "faux",
]);
export const tickMarks = new Set(["x", "✓", "✔", "☑", "✅"]);

/** Says what a cell that isn't blank can be read as. */
export function lookOf(cell: Exclude<Cell, null>): Look {
  if (typeof cell === "string") return lookOfText(cell.trim());
  if (typeof cell === "boolean") return { ...nothing, bits: look.yesNo | look.typed };
  if (typeof cell === "object" && "fault" in cell) return { ...nothing, bits: look.fault };
  if (typeof cell === "object" && "stamp" in cell) return lookOfStamp(cell.stamp);
  const { mark, ...number } =
    typeof cell === "number"
      ? { number: cell, mark: "" }
      : { number: cell.number, mark: cell.mark };
  const digits = cellText(number.number);
  const places = placesOf(digits);
  const fraction = places > 0 ? look.pointFraction | look.commaFraction : 0;
  const bits =
    look.point |
    look.comma |
    look.typed |
    fraction |
    (number.number < 0 ? look.negative : 0) |
    (mark ? look.marked : 0) |
    (digitsOf(digits) > 15 ? look.digits : 0);
  return { bits, mark, pointPlaces: places, commaPlaces: places };
}

function lookOfStamp(stamp: string): Look {
  if (stamp.length === 5) return { ...nothing, bits: look.time | look.typed };
  const time = stamp.slice(11);
  const bits =
    look.dayFirst |
    look.monthFirst |
    look.typed |
    (time ? look.moment : 0) |
    (time === "00:00" ? look.midnight : 0);
  return { ...nothing, bits };
}

const numeric = /^[\d+\-−.,(€$£¥]|^[A-Z]{2,3}\s?\d|^\p{Sc}/u;
const beginsDate = /^\d|^\p{L}{2,10}\.?,?\s+[\d\p{L}]/u;
const phonePattern = /^[+(\d][\d\s()./-]*\d(\s*(x|ext\.?)\s*\d+)?$/i;

function lookOfText(text: string): Look {
  let bits = 0;
  if (text.length > 255 || text.includes("\n")) bits |= look.long;
  if (text.includes("\0")) return { ...nothing, bits: bits | look.nul };
  if (text.length > 100) return { ...nothing, bits: bits | (isUrl(text) ? look.url : 0) };
  const number = numeric.test(text) ? findNumber(text) : undefined;
  if (number) bits |= numberBits(text, number);
  if (/\d/.test(text)) {
    if (text.length <= 40 && beginsDate.test(text)) bits |= dateBits(text);
    if (isPhone(text)) bits |= look.phone;
    if (/^#([0-9a-f]{6}|[0-9a-f]{3})$/i.test(text)) bits |= look.color;
  } else if (text.length <= 9) {
    const word = folded(text);
    if (yesWords.has(word) || noWords.has(word)) bits |= look.yesNo;
    if (tickMarks.has(word)) bits |= look.tick;
    if (/^#[a-f]{3}([a-f]{3})?$/i.test(text)) bits |= look.color;
  }
  if (text.includes("@") && isEmail(text)) bits |= look.email;
  else if (text.includes(".") && isUrl(text)) bits |= look.url;
  return {
    bits,
    mark: number?.mark ?? "",
    pointPlaces: placesOf(number?.point ?? ""),
    commaPlaces: placesOf(number?.comma ?? ""),
  };
}

function numberBits(
  text: string,
  { point, comma, mark }: NonNullable<ReturnType<typeof findNumber>>,
) {
  let bits = mark ? look.marked : 0;
  if (point !== undefined) bits |= look.point | (point.includes(".") ? look.pointFraction : 0);
  if (comma !== undefined) bits |= look.comma | (comma.includes(".") ? look.commaFraction : 0);
  if (/^[-(]/.test(text) || (point ?? comma ?? "").startsWith("-")) bits |= look.negative;
  if (/^0\d/.test(text) || digitsOf(point ?? comma ?? "") > 15) bits |= look.digits;
  return bits;
}

function dateBits(text: string): number {
  const date = findDate(text);
  if (!date) return findTime(text) ? look.time : 0;
  return (
    (date.dayFirst ? look.dayFirst : 0) |
    (date.monthFirst ? look.monthFirst : 0) |
    (date.ordered ? look.ordered : 0) |
    (date.time ? look.moment : 0) |
    (date.time === "00:00" ? look.midnight : 0)
  );
}

/** Whether the text is an email address, by the same rule as the application's forms. */
export function isEmail(text: string): boolean {
  return text.length <= 254 && z.regexes.email.test(text);
}

/** Whether the text is a web address, the beginning left out or not: `www.example.org`. */
export function isUrl(text: string): boolean {
  return /^(https?:\/\/|www\.)[^\s]+\.[^\s]{2,}$/i.test(text) && URL.canParse(webAddress(text));
}

/** A web address with its beginning. */
export function webAddress(text: string): string {
  return /^www\./i.test(text) ? `https://${text}` : text;
}

/** Whether the text is a telephone number, as people write it. */
export function isPhone(text: string): boolean {
  if (!/^[+(\d]/.test(text) || !phonePattern.test(text)) return false;
  const count = text.replace(/(x|ext).*$/i, "").replace(/\D/g, "").length;
  return count >= 6 && count <= 15;
}
