import { z } from "zod";
import { today, toLocal, toUtc } from "./time.ts";

/**
 * What the browser has to know of a value: the attributes of its input, and how a stored value is
 * written into it. Every builder below registers them beside the check that the server makes, so
 * that the two can't come apart.
 */
export interface Entry {
  attributes(): Record<string, string | number | boolean>;
  /** The text that the input of a stored value starts with. */
  write?: (stored: unknown) => string;
  /** The labels of the choices, by value. */
  choices?: Readonly<Record<string, string>>;
}

/** The entries of all values, by their Zod type. */
export const entries = z.registry<Entry>();

interface Lengths {
  min?: number;
  max?: number;
}

interface NumberBounds {
  min?: number;
  max?: number;
  places?: number;
}

interface DateBounds {
  min?: string;
  max?: string;
}

const largest = 9_007_199_254_740_991;

/** The most characters of a number, a date or a time, as somebody types it. */
const longestNumber = 40;

/** The most characters of a long text that has no range. */
export const longestText = 200_000;

/** Marks on one letter: more of them are no writing of any language, and take long to be put in order. */
const stackedMarks = /\p{M}{31}/u;

/**
 * Something was typed: trimmed, not blank, and without the one character no database keeps. How long it is, is
 * looked at before anything else is done with it.
 */
const filled = (message = "Fill this in.", longest = longestNumber) =>
  z
    .string(message)
    .refine((typed) => typed.length <= longest, { error: "This is too long.", abort: true })
    .refine((typed) => !stackedMarks.test(typed), {
      error: "A letter has too many marks.",
      abort: true,
    })
    .transform((typed) => typed.trim().normalize("NFC").replaceAll("\r\n", "\n"))
    .pipe(
      z
        .string()
        .min(1, { error: message, abort: true })
        .refine((typed) => !typed.includes("\0"), {
          error: "This holds a character that can't be kept (NUL).",
          abort: true,
        }),
    );

/** Blank is taken, and means nothing: null. */
export function optional<Type extends z.ZodType>(type: Type) {
  const blank = (typed: unknown) =>
    typed === undefined || (typeof typed === "string" && typed.trim() === "");
  const taken = z.preprocess((typed) => (blank(typed) ? null : typed), type.nullable());
  const entry = entries.get(type);
  entries.add(taken, { ...entry, attributes: () => ({ ...entry?.attributes(), required: false }) });
  return taken;
}

/** A line of text. Lengths are in characters, as a person counts them. */
export function text({ min = 1, max = 255 }: Lengths = {}) {
  return lengthChecked({ min, max });
}

/** Text of several lines. */
export function longText({ min = 1, max = longestText }: Lengths = {}) {
  return lengthChecked({ min, max });
}

function lengthChecked({ min, max }: Required<Lengths>) {
  // A character may be written as several; no more than that is looked at.
  return filled("Fill this in.", 4 * max)
    .refine((typed) => [...typed].length >= min, `Use at least ${min} characters.`)
    .refine((typed) => [...typed].length <= max, `Use at most ${max} characters.`)
    .register(entries, {
      attributes: () => ({
        required: true,
        ...(min > 1 && { minlength: min }),
        maxlength: max,
      }),
    });
}

/** A whole number. */
export function integer({ min = -largest, max = largest }: NumberBounds = {}) {
  return filled()
    .refine((typed) => /^[+-]?\d{1,16}$/.test(typed), {
      error: "Use a whole number.",
      abort: true,
    })
    .transform(Number)
    .pipe(bounded({ min, max }))
    .register(entries, { attributes: () => numberAttributes({ min, max, places: 0 }) });
}

/** A number with at most `places` digits after the point, and 15 in all. */
export function decimal({ min = -largest, max = largest, places = 2 }: NumberBounds = {}) {
  return filled()
    .refine((typed) => /^[+-]?(\d+\.?\d*|\.\d+)$/.test(typed), {
      error: "Use a number, such as 12.5.",
      abort: true,
    })
    .refine((typed) => (typed.split(".")[1] ?? "").replace(/0+$/, "").length <= places, {
      error: places === 0 ? "Use a whole number." : `Use at most ${places} digits after the point.`,
      abort: true,
    })
    .refine((typed) => typed.replace(/\D/g, "").replace(/^0+/, "").length <= 15, {
      error: "Use at most 15 digits in all.",
      abort: true,
    })
    .transform(Number)
    .pipe(bounded({ min, max }))
    .register(entries, { attributes: () => numberAttributes({ min, max, places }) });
}

function bounded({ min, max }: Required<Omit<NumberBounds, "places">>) {
  return z
    .number()
    .min(min, `Use ${min} or more.`)
    .max(max, `Use ${max} or less.`)
    .transform((number) => number + 0);
}

function numberAttributes({ min, max, places }: Required<NumberBounds>) {
  return {
    type: "number",
    required: true,
    step: places === 0 ? 1 : `0.${"0".repeat(places - 1)}1`,
    inputmode: places === 0 ? "numeric" : "decimal",
    ...(min > -largest && { min }),
    ...(max < largest && { max }),
  };
}

/** A box to tick. */
export function boolean() {
  return z
    .preprocess((typed) => typed !== undefined && typed !== "" && typed !== "no", z.boolean())
    .register(entries, { attributes: () => ({}), write: (stored) => (stored ? "yes" : "") });
}

/** A day. A bound is a date such as `2020-01-01`, or `today`. */
export function date({ min, max }: DateBounds = {}) {
  const bound = (limit: string) => (limit === "today" ? today() : limit);
  return filled("Choose a date.")
    .refine(isDate, { error: "Use a date, such as 2026-05-03.", abort: true })
    .refine(
      (typed) => min === undefined || typed >= bound(min),
      min === "today" ? "Use today or later." : `Use ${min} or later.`,
    )
    .refine(
      (typed) => max === undefined || typed <= bound(max),
      max === "today" ? "Use today or earlier." : `Use ${max} or earlier.`,
    )
    .register(entries, {
      attributes: () => ({
        type: "date",
        required: true,
        ...(min !== undefined && { min: bound(min) }),
        ...(max !== undefined && { max: bound(max) }),
      }),
    });
}

function isDate(typed: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(typed) || typed < "0001") return false;
  const time = Date.parse(`${typed}T00:00:00Z`);
  return !Number.isNaN(time) && new Date(time).toISOString().startsWith(typed);
}

/** A time of the day, to the minute. */
export function time() {
  return filled("Choose a time.")
    .refine((typed) => /^([01]\d|2[0-3]):[0-5]\d$/.test(typed), "Use a time, such as 09:30.")
    .register(entries, { attributes: () => ({ type: "time", required: true }) });
}

/** A moment: typed by the clock on the wall, kept in UTC. */
export function datetime() {
  return filled("Choose a date and a time.")
    .refine(
      (typed) =>
        /^.{10}[T ]([01]\d|2[0-3]):[0-5]\d(:[0-5]\d)?$/.test(typed) && isDate(typed.slice(0, 10)),
      { error: "Use a date and a time, such as 2026-05-03 09:30.", abort: true },
    )
    .transform((typed) => toUtc(typed.replace(" ", "T")))
    .refine(
      (moment) => moment > "0001-01-02" && moment < "9999-12-30",
      "Use a moment from the second day of year 1 to the end of 9999.",
    )
    .register(entries, {
      attributes: () => ({ type: "datetime-local", required: true }),
      write: (stored) => toLocal(String(stored)),
    });
}

/** An email address. */
export function email({ min = 1, max = 254 }: Lengths = {}) {
  return text({ min, max })
    .refine(
      (typed) => z.email().safeParse(typed).success,
      "Use an email address, such as ana@example.org.",
    )
    .register(entries, { attributes: () => ({ type: "email", required: true, maxlength: max }) });
}

/** A web address that begins with http:// or https://. */
export function url({ min = 1, max = 2000 }: Lengths = {}) {
  return text({ min, max })
    .refine(
      (typed) => z.url({ protocol: /^https?$/ }).safeParse(typed).success,
      "Use a web address that begins with https://.",
    )
    .register(entries, { attributes: () => ({ type: "url", required: true, maxlength: max }) });
}

/** A telephone number, as people write it. */
export function phone({ min = 1, max = 40 }: Lengths = {}) {
  return text({ min, max })
    .refine(
      (typed) => /^[+(\d][\d\s()./-]*\d(\s*(x|ext\.?)\s*\d+)?$/i.test(typed),
      "Use a telephone number, such as +34 600 000 000.",
    )
    .register(entries, { attributes: () => ({ type: "tel", required: true, maxlength: max }) });
}

/** A colour, as `#ffcc00`. */
export function color() {
  return filled("Choose a colour.")
    .transform((typed) => typed.toLowerCase())
    .refine((typed) => /^#[0-9a-f]{6}$/.test(typed), "Use a colour, such as #ffcc00.")
    .register(entries, { attributes: () => ({ pattern: "#[0-9a-fA-F]{6}", required: true }) });
}

/** One of a few: the values, with their labels. */
export function choice<const Choices extends Readonly<Record<string, string>>>(choices: Choices) {
  return filled("Choose one.", 400)
    .refine(
      (typed): typed is typeof typed & (keyof Choices & string) => Object.hasOwn(choices, typed),
      {
        error: "Choose one of those offered.",
      },
    )
    .transform((typed) => typed as keyof Choices & string)
    .register(entries, { attributes: () => ({ required: true }), choices });
}

/** A lookup: the number of another record. */
export function reference() {
  return filled("Choose one.")
    .refine((typed) => /^\d{1,15}$/.test(typed), "Choose one of those offered.")
    .transform(Number)
    .register(entries, { attributes: () => ({ required: true }) });
}

/** The most records that one field refers to. */
const mostReferences = 10_000;

/** Any number of other records. */
export function references({ required = false } = {}) {
  return z
    .array(
      z
        .string()
        .regex(/^\d{1,15}$/, "Choose from those offered.")
        .transform(Number),
    )
    .max(mostReferences, `Choose at most ${mostReferences}.`)
    .transform((ids) => [...new Set(ids)])
    .refine((ids) => !required || ids.length > 0, "Choose at least one.")
    .register(entries, { attributes: () => ({ multiple: true, required }) });
}
