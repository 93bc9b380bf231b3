import * as z from "zod";
import { readPlace } from "../../../kit/formula/coordinates.ts";
import { secondsOf } from "../../../kit/formula/durations.ts";
import { type Cell, cellText, folded } from "./cells.ts";
import { findDate, findTime } from "./dates.ts";
import { digitsOf, findNumber, isSmall, placesOf } from "./numbers.ts";

/** What a text can be read as. One cell has several: `3.5` is a number, a time and may be a name. */
export const typeBit = {
  /** A number if the point is before the fraction, or if the comma does. */
  point: 1 << 0,
  comma: 1 << 1,
  /** It has a fraction, read so. */
  pointFraction: 1 << 2,
  commaFraction: 1 << 3,
  /** A percent sign, a currency or a unit belongs to the number. */
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
  /** A time belongs to the day. */
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
  /** The year has two digits. */
  shortYear: 1 << 23,
  /** A time has seconds. */
  seconds: 1 << 24,
  /** A number of at most 1, which may be a fraction that others write in percent. */
  small: 1 << 25,
  /** A fraction that is written with a zero at its end, under either reading. */
  zeroPoint: 1 << 26,
  zeroComma: 1 << 27,
  /** A time such as `2h30` or `1:20`, which may as well be a span or a ratio. */
  spanLike: 1 << 28,
  /** A span of time; and one that is no time of the day. */
  span: 1 << 29,
  onlySpan: 1 << 30,
  /** Latitude and longitude. */
  place: 1 << 31,
} as const;

/** What one value looks like. */
export interface CellType {
  bits: number;
  /** What went with a number: `€`, `%`, `kg`. */
  mark: string;
  /** Digits behind the point, under either reading; and as they are written, with zeros at their end. */
  pointPlaces: number;
  commaPlaces: number;
  pointWritten: number;
  commaWritten: number;
}

const nothing: CellType = {
  bits: 0,
  mark: "",
  pointPlaces: 0,
  commaPlaces: 0,
  pointWritten: 0,
  commaWritten: 0,
};

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
export function typeOfCell(cell: Exclude<Cell, null>): CellType {
  if (typeof cell === "string") return lookOfText(cell.trim());
  if (typeof cell === "boolean") return { ...nothing, bits: typeBit.yesNo | typeBit.typed };
  if (typeof cell === "object" && "fault" in cell) return { ...nothing, bits: typeBit.fault };
  if (typeof cell === "object" && "stamp" in cell) return lookOfStamp(cell.stamp);
  const { mark, ...number } =
    typeof cell === "number"
      ? { number: cell, mark: "" }
      : { number: cell.number, mark: cell.mark };
  const digits = cellText(number.number);
  const places = placesOf(digits);
  const fraction = places > 0 ? typeBit.pointFraction | typeBit.commaFraction : 0;
  const bits =
    typeBit.point |
    typeBit.comma |
    typeBit.typed |
    fraction |
    (number.number < 0 ? typeBit.negative : 0) |
    (mark ? typeBit.marked : 0) |
    smallBit(digits) |
    (digitsOf(digits) > 15 ? typeBit.digits : 0);
  return {
    bits,
    mark,
    pointPlaces: places,
    commaPlaces: places,
    pointWritten: places,
    commaWritten: places,
  };
}

function lookOfStamp(stamp: string): CellType {
  const seconds = /:\d\d:\d\d$/.test(stamp) ? typeBit.seconds : 0;
  if (/^\d\d:/.test(stamp)) {
    return { ...nothing, bits: typeBit.time | typeBit.span | typeBit.typed | seconds };
  }
  const time = stamp.slice(11);
  const bits =
    typeBit.dayFirst |
    typeBit.monthFirst |
    typeBit.typed |
    seconds |
    (time ? typeBit.moment : 0) |
    (time === "00:00" ? typeBit.midnight : 0);
  return { ...nothing, bits };
}

const numeric = /^[\d+\-−.,(€$£¥]|^[A-Z]{2,3}\s?\d|^\p{L}{0,2}\p{Sc}|^S?Fr\.?\s?\d/u;
const beginsDate = /^\d|^\p{L}{2,10}\.?,?\s+[\d\p{L}]/u;
const phonePattern = /^[+(\d][\d\s()./-]*\d(\s*(x|ext\.?)\s*\d+)?$/i;

function lookOfText(text: string): CellType {
  let bits = 0;
  if (text.length > 255 || text.includes("\n")) bits |= typeBit.long;
  if (text.includes("\0")) return { ...nothing, bits: bits | typeBit.nul };
  if (text.length > 100) return { ...nothing, bits: bits | (isUrl(text) ? typeBit.url : 0) };
  const number = numeric.test(text) ? findNumber(text) : undefined;
  if (number) bits |= numberBits(text, number);
  if (/\d/.test(text)) {
    if (text.length <= 40 && beginsDate.test(text)) bits |= dateBits(text);
    if (text.length <= 40 && secondsOf(text) !== undefined) {
      bits |= typeBit.span | ((bits & typeBit.time) === 0 ? typeBit.onlySpan : 0);
    }
    if (isPhone(text)) bits |= typeBit.phone;
    if (isPlace(text)) bits |= typeBit.place;
    if (/^#([0-9a-f]{6}|[0-9a-f]{3})$/i.test(text)) bits |= typeBit.color;
  } else if (text.length <= 9) {
    const word = folded(text);
    if (yesWords.has(word) || noWords.has(word)) bits |= typeBit.yesNo;
    if (tickMarks.has(word)) bits |= typeBit.tick;
    if (/^#[a-f]{3}([a-f]{3})?$/i.test(text)) bits |= typeBit.color;
  }
  if (text.includes("@") && isEmail(text)) bits |= typeBit.email;
  else if (text.includes(".") && isUrl(text)) bits |= typeBit.url;
  return {
    bits,
    mark: number?.mark ?? "",
    pointPlaces: placesOf(number?.point ?? ""),
    commaPlaces: placesOf(number?.comma ?? ""),
    pointWritten: number?.pointWritten ?? 0,
    commaWritten: number?.commaWritten ?? 0,
  };
}

function numberBits(
  text: string,
  { point, comma, mark, pointWritten, commaWritten }: NonNullable<ReturnType<typeof findNumber>>,
) {
  let bits = mark ? typeBit.marked : 0;
  if (point !== undefined)
    bits |= typeBit.point | (point.includes(".") ? typeBit.pointFraction : 0);
  if (comma !== undefined)
    bits |= typeBit.comma | (comma.includes(".") ? typeBit.commaFraction : 0);
  if (pointWritten > placesOf(point ?? "")) bits |= typeBit.zeroPoint;
  if (commaWritten > placesOf(comma ?? "")) bits |= typeBit.zeroComma;
  if (/^[-(]/.test(text) || (point ?? comma ?? "").startsWith("-")) bits |= typeBit.negative;
  if (/^0\d/.test(text) || digitsOf(point ?? comma ?? "") > 15) bits |= typeBit.digits;
  return bits | smallBit(point ?? comma ?? "");
}

function smallBit(digits: string): number {
  return isSmall(digits) ? typeBit.small : 0;
}

function dateBits(text: string): number {
  const date = findDate(text);
  if (!date) {
    const time = findTime(text);
    const more =
      (time?.length ?? 0) > 5 ? typeBit.seconds : /h|^\d:\d\d$/i.test(text) ? typeBit.spanLike : 0;
    return time ? typeBit.time | more : 0;
  }
  return (
    (date.dayFirst ? typeBit.dayFirst : 0) |
    (date.monthFirst ? typeBit.monthFirst : 0) |
    (date.ordered ? typeBit.ordered : 0) |
    (date.shortYear ? typeBit.shortYear : 0) |
    (date.time ? typeBit.moment : 0) |
    (date.time === "00:00" ? typeBit.midnight : 0)
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

/** As coordinates are written, and two other numbers hardly are: with degrees, or with three places and more. */
const exactPlace = /°|^geo:|^[+−-]?\d+[.,]\d{3,}\D.*\d[.,]\d{3,}$/i;

/** Whether the text is latitude and longitude. */
function isPlace(text: string): boolean {
  return exactPlace.test(text) && readPlace(text) !== undefined;
}

/** Whether the text is a telephone number, as people write it. */
export function isPhone(text: string): boolean {
  if (!/^[+(\d]/.test(text) || !phonePattern.test(text)) return false;
  const count = text.replace(/(x|ext).*$/i, "").replace(/\D/g, "").length;
  return count >= 6 && count <= 15;
}
