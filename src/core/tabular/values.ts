import { readPlace } from "../../../kit/formula/coordinates.ts";
import { durationText, secondsOf } from "../../../kit/formula/durations.ts";
import type { Kind, TypeOf } from "../fields/field-type.ts";
import { placesOf as placesIn } from "../fields/numbers.ts";
import type { TextType } from "../fields/texts.ts";
import { ruleOf } from "../fields/types.ts";
import type { Field } from "../model/model.ts";
import { type Cell, cellText, folded, type Marked } from "./cells.ts";
import { findDate, findTime } from "./dates.ts";
import { namesInCell } from "./file-columns.ts";
import { sameMark } from "./marks.ts";
import { currencyOf, digitsOf, findNumber, isSmall, placesOf, product } from "./numbers.ts";
import type { FieldPlan } from "./plan.ts";
import {
  isEmail,
  isPhone,
  isUrl,
  noWords,
  tickMarks,
  webAddress,
  yesWords,
} from "./type-detection.ts";

/** The text for the data file, or why the cell doesn't fit its field. */
export type ReadValue = { text: string } | { reason: string };

export interface ValueContext {
  currency: string;
  /** The day that counts as today, as `2026-05-03`. */
  today: string;
  /** Whether there is a file of a name, where the sheets are. */
  hasFile?: (name: string) => boolean;
}

/** Reads a cell that isn't blank. */
export type ValueReader = (cell: Exclude<Cell, null>) => ReadValue;

/** Forms can't show more than this. */
const longestText = 1_000_000;

const no = (reason: string): ReadValue => ({ reason });

/** How cells of a field's column are read; references and lists of them are texts here. */
export function valueReader(
  field: Field,
  plan: ReadingPlan & Pick<FieldPlan, "replace">,
  context: ValueContext,
): ValueReader {
  const readerOf = readers[field.type.kind] as ReaderOf<Kind>;
  const read =
    plan.part === "currency" ? readCurrency : readerOf(field.type, { field, plan, context });
  const replaced = new Map(
    Object.entries(plan.replace ?? {}).map(([from, to]) => [folded(from), to]),
  );
  return (cell) => {
    if (typeof cell === "object" && "fault" in cell) return no(`in error: ${cell.fault}`);
    const meant = replaced.size > 0 ? replaced.get(folded(cellText(cell))) : undefined;
    const value = meant ?? cell;
    if (typeof value === "string" && value.includes("\0"))
      return no("holds a character that can't be kept (NUL)");
    return read(value);
  };
}

/** How the texts of a column are to be read. */
type ReadingPlan = Pick<
  FieldPlan,
  "dates" | "decimals" | "century" | "units" | "bare" | "spans" | "part"
>;

/** Of a type: how cells are read that are to fit a field of it. */
type ReaderOf<K extends Kind> = (type: TypeOf<K>, column: ColumnReading) => ValueReader;

interface ColumnReading {
  field: Field;
  plan: ReadingPlan;
  context: ValueContext;
}

/** What goes by the key of a record, or isn't read from cells. */
const asText = (): ValueReader => (cell) => ({ text: plainText(cell) });

const readers: { readonly [K in Kind]: ReaderOf<K> } = {
  text: (type) =>
    lengthReader(type, (text) =>
      text.includes("\n") ? "several lines, where one fits" : undefined,
    ),
  "long text": (type) => lengthReader(type),
  email: (type) =>
    lengthReader(type, (text) => (isEmail(text) ? undefined : "not an email address")),
  phone: (type) =>
    lengthReader(type, (text) =>
      isPhone(text) || /^\d{3,15}$/.test(text) ? undefined : "not a telephone number",
    ),
  url: (type) => {
    const read = lengthReader(type, (text) => (isUrl(text) ? undefined : "not a web address"));
    return (cell) => read(webAddress(cellText(cell).trim()));
  },
  integer: numberReader,
  decimal: numberReader,
  money: numberReader,
  percent: numberReader,
  boolean: () => readYesNo,
  date: dateReader,
  datetime: (_type, { plan }) => momentReader(plan),
  time: () => readTime,
  duration: (_type, { plan }) => durationReader(plan),
  choice: ({ choices }) => choiceReader(choices),
  color: () => readColor,
  place: () => readPlaceCell,
  one: asText,
  "part of": asText,
  many: asText,
  formula: asText,
  image: filesReader,
  file: filesReader,
  tags: () => readTags,
  user: asText,
};

function readTags(cell: Cell): ReadValue {
  const tags = plainText(cell)
    .split(/[,;\n]/)
    .map((tag) => tag.trim())
    .filter(Boolean);
  const text = [...new Map(tags.map((tag) => [tag.toLowerCase(), tag])).values()].join(", ");
  if (tags.length > 30) return no(`${tags.length} tags, where 30 fit`);
  return tags.some((tag) => [...tag].length > 40)
    ? no("a tag of more than 40 characters")
    : { text };
}

/** Names of files, each of which has to be there. */
function filesReader(
  type: TypeOf<"image"> | TypeOf<"file">,
  { context: { hasFile } }: ColumnReading,
): ValueReader {
  const most = Math.max(type.max ?? 1, type.min ?? 1);
  return (cell) => {
    const names = namesInCell(plainText(cell));
    if (names.length > most) return no(`${names.length} files, where ${most} fit`);
    const missing = hasFile && names.find((name) => !hasFile(name));
    return missing === undefined
      ? { text: names.join("; ") }
      : no("not the name of a file that is there");
  };
}

function plainText(cell: Cell): string {
  return cellText(cell).trim().normalize("NFC").replaceAll("\r\n", "\n");
}

function lengthReader(
  type: TextType,
  trouble: (text: string) => string | undefined = () => undefined,
): ValueReader {
  const { min = 0 } = type;
  const most = type.max ?? usualLength(type);
  return (cell) => {
    const text = plainText(cell);
    const why = trouble(text);
    if (why) return no(why);
    if (text.length <= most && text.length >= min * 2) return { text };
    const length = [...text].length;
    const characters = `${length} ${length === 1 ? "character" : "characters"}`;
    if (length > most) return no(`${characters}, where ${most} fit`);
    return length < min ? no(`${characters}, where ${min} are the least`) : { text };
  };
}

/** The most characters of a text whose range says nothing else. */
function usualLength(type: TextType): number {
  const column = ruleOf(type).storage?.column(type);
  return column?.kind === "text" ? column.max : longestText;
}

function numberReader(
  type: TypeOf<"integer" | "decimal" | "money" | "percent">,
  { field: { unit }, plan, context: { currency } }: ColumnReading,
): ValueReader {
  const places = placesIn(type);
  const sign = plan.decimals ?? "point";
  const takes = (mark: string): boolean => {
    if (mark === "") return true;
    if (plan.part === "amount") return currencyOf(mark) !== undefined;
    if (type.kind === "money") return currencyOf(mark) === currency;
    if (type.kind === "percent") return mark === "%";
    return unit !== undefined && sameMark(mark, unit);
  };
  const factors = Object.entries(plan.units ?? {});
  const factorOf = (mark: string) =>
    mark === "" ? undefined : factors.find(([name]) => sameMark(mark, name))?.[1];
  const { min = Number.NEGATIVE_INFINITY, max = Number.POSITIVE_INFINITY } = type;
  return (cell) => {
    const found = numberOf(cell);
    const digits = found?.[sign];
    if (!found || digits === undefined)
      return no(type.kind === "integer" ? "not a whole number" : "not a number");
    const factor = factorOf(found.mark);
    if (factor === undefined && !takes(found.mark))
      return no(`in ${found.mark}${unit ? `, not in ${unit}` : ""}`);
    let text = factor === undefined ? digits : product(digits, factor);
    if (plan.bare && found.mark === "" && isSmall(text)) {
      if (plan.bare === "ask")
        return no(`without a percent sign: ${text} % or ${product(text, "100")} %`);
      if (plan.bare === "fraction") text = product(text, "100");
    }
    if (placesOf(text) > places) {
      // What a workbook computed has more digits than anybody wrote.
      if (typeof cell === "string" || places === 0) {
        return no(
          places === 0 ? "not a whole number" : `more than ${places} digits after the point`,
        );
      }
      text = withoutTrailingZeros(Number(text).toFixed(places));
    }
    if (digitsOf(text) > 15) return no("more than 15 digits");
    const value = Number(text);
    if (value < min) return no(`less than ${min}`);
    return value > max ? no(`more than ${max}`) : { text };
  };
}

/** The code of the currency of an amount; what is no amount is a matter of the field that has it. */
function readCurrency(cell: Exclude<Cell, null>): ReadValue {
  return { text: currencyOf(numberOf(cell)?.mark ?? "") ?? "" };
}

function withoutTrailingZeros(text: string): string {
  return text.includes(".") ? text.replace(/\.?0+$/, "") : text;
}

function numberOf(cell: Exclude<Cell, null>): ReturnType<typeof findNumber> {
  if (typeof cell === "string") return findNumber(cell.trim());
  if (typeof cell === "number") return numberIn({ number: cell, mark: "" });
  return typeof cell === "object" && "number" in cell ? numberIn(cell) : undefined;
}

function numberIn({ number, mark }: Marked): ReturnType<typeof findNumber> {
  const digits = cellText(number);
  if (!/^-?\d/.test(digits)) return undefined;
  const written = placesOf(digits);
  return { point: digits, comma: digits, pointWritten: written, commaWritten: written, mark };
}

function readYesNo(cell: Exclude<Cell, null>): ReadValue {
  if (typeof cell === "boolean") return { text: cell ? "yes" : "no" };
  const word = folded(cellText(cell));
  if (yesWords.has(word) || tickMarks.has(word) || word === "1") return { text: "yes" };
  return noWords.has(word) || word === "0" ? { text: "no" } : no("neither yes nor no");
}

function dateReader(
  { min, max }: TypeOf<"date">,
  { plan: { dates = "day first", century }, context: { today } }: ColumnReading,
): ValueReader {
  const bound = (limit: string | undefined) => (limit === "today" ? today : limit);
  const [least = "", most = "9999"] = [bound(min), bound(max)];
  return (cell) => {
    const found = momentOf(cell, century);
    const day = dates === "day first" ? found?.dayFirst : found?.monthFirst;
    if (!found || !day) return no("not a date");
    if (found.time && !/^00:00Z?$/.test(found.time)) return no("a date with a time");
    if (day < least) return no(`before ${min}`);
    return day > most ? no(`after ${max}`) : { text: day };
  };
}

function momentReader({ dates = "day first", century }: ReadingPlan): ValueReader {
  return (cell) => {
    const found = momentOf(cell, century);
    const day = dates === "day first" ? found?.dayFirst : found?.monthFirst;
    return found && day ? { text: `${day}T${found.time ?? "00:00"}` } : no("not a date and time");
  };
}

function momentOf(cell: Exclude<Cell, null>, century?: number): ReturnType<typeof findDate> {
  if (typeof cell === "string") return findDate(cell.trim(), century);
  if (typeof cell !== "object" || !("stamp" in cell) || cell.stamp.length < 10) return undefined;
  const day = cell.stamp.slice(0, 10);
  const time = cell.stamp.slice(11);
  return { dayFirst: day, monthFirst: day, ordered: false, ...(time && { time }) };
}

function readTime(cell: Exclude<Cell, null>): ReadValue {
  const text = typeof cell === "object" && "stamp" in cell ? cell.stamp : cellText(cell).trim();
  const time = findTime(text);
  if (!time) return no("not a time");
  return time.length > 5 ? no("a time with seconds") : { text: time };
}

function durationReader({ spans }: ReadingPlan): ValueReader {
  return (cell) => {
    const text = typeof cell === "object" && "stamp" in cell ? cell.stamp : cellText(cell).trim();
    const seconds = secondsOf(text, spans);
    return seconds === undefined ? no("not a span of time") : { text: durationText(seconds) };
  };
}

function choiceReader(choices: readonly string[]): ValueReader {
  const known = new Map(choices.map((choice) => [folded(choice), choice]));
  // A yes and a no are the same in every spelling, where those are the choices.
  const yesNo = known.has("yes") && known.has("no");
  return (cell) => {
    const word = folded(cellText(cell));
    const choice = known.get(word);
    if (choice !== undefined) return { text: choice };
    const said = yesNo ? readYesNo(cell) : no("");
    return "text" in said
      ? { text: known.get(said.text) ?? said.text }
      : no("not among the choices");
  };
}

function readPlaceCell(cell: Exclude<Cell, null>): ReadValue {
  const text = readPlace(cellText(cell));
  return text === undefined ? no("not a place such as 41.3879, 2.1699") : { text };
}

function readColor(cell: Exclude<Cell, null>): ReadValue {
  const text = cellText(cell).trim().toLowerCase();
  if (/^#[0-9a-f]{6}$/.test(text)) return { text };
  if (/^#[0-9a-f]{3}$/.test(text)) return { text: text.replace(/[0-9a-f]/g, "$&$&") };
  return no("not a colour such as #ffcc00");
}
