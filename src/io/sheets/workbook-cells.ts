import { type CellObject, SSF } from "@e965/xlsx";
import { durationText } from "../../../kit/formula/durations.ts";
import type { Cell } from "../../core/tabular/cells.ts";
import { findNumber } from "../../core/tabular/numbers.ts";

const faults: Readonly<Record<number, string>> = {
  0: "#NULL!",
  7: "#DIV/0!",
  15: "#VALUE!",
  23: "#REF!",
  29: "#NAME?",
  36: "#NUM!",
  42: "#N/A",
  43: "#GETTING_DATA",
};

/** What the cells of a workbook hold, in our terms: their stored values, with what their formats say of them. */
export class CellReader {
  readonly #formats = new Map<string, NumberReader>();

  constructor(
    /** Whether days are counted from 1904. */
    readonly date1904: boolean,
  ) {}

  read(cell: CellObject | undefined): Cell {
    if (!cell || cell.v === undefined || cell.v === null) return null;
    switch (cell.t) {
      case "s":
        return String(cell.v);
      case "b":
        return Boolean(cell.v);
      case "e":
        return { fault: faults[Number(cell.v)] ?? String(cell.w ?? "#ERROR") };
      case "n":
        return cell.z === undefined && cell.w !== undefined
          ? shownNumber(Number(cell.v), cell.w)
          : this.#numberOf(Number(cell.v), String(cell.z ?? "General"));
      default:
        return cell.v instanceof Date
          ? { stamp: cell.v.toISOString().slice(0, 19).replace(/:00$/, "") }
          : String(cell.v);
    }
  }

  #numberOf(value: number, format: string): Cell {
    if (!Number.isFinite(value)) return { fault: "#NUM!" };
    let read = this.#formats.get(format);
    if (!read) {
      read = numberReader(format, this.date1904);
      this.#formats.set(format, read);
    }
    return read(value);
  }
}

type NumberReader = (value: number) => Cell;

/** How numbers of a format are read: most cells have one of very few. */
function numberReader(format: string, date1904: boolean): NumberReader {
  const first = format.split(";")[0] ?? format;
  if (/\[[hms]+\]/i.test(first) || isClockOfSeconds(first)) return spanText;
  if (SSF.is_date(format)) return once(stampReader(first, date1904));
  const mark = markOf(first);
  const clean = withoutNoise(first, mark === "%" ? 2 : 0);
  return mark === undefined ? clean : (value) => marked(clean(value), mark);
}

const mostKnown = 20_000;

/** Remembers what numbers were read as: days come again. */
function once(read: NumberReader): NumberReader {
  const known = new Map<number, Cell>();
  return (value) => {
    const before = known.get(value);
    if (before !== undefined) return before;
    const cell = read(value);
    if (known.size < mostKnown) known.set(value, cell);
    return cell;
  };
}

/** A number as its format shows it, where the rest is what computing in binary left. */
function withoutNoise(format: string, hidden: number): (value: number) => number {
  const digits = /[0#?](?:\.([0#?]+))?/.exec(format.replace(/"[^"]*"|\\./g, ""));
  if (!digits || /e[+-]/i.test(format)) return (value) => value;
  const places = Math.min(20, (digits[1]?.length ?? 0) + hidden);
  return (value) => {
    if (Number.isInteger(value)) return value;
    const rounded = Number(value.toFixed(places));
    return Math.abs(rounded - value) <= 1e-9 * Math.max(1, Math.abs(value)) ? rounded : value;
  };
}

/** A number of which it is known how it is shown, but not by which format. */
function shownNumber(value: number, shown: string): Cell {
  const mark = findNumber(shown.trim())?.mark;
  return mark ? marked(value, mark) : value;
}

function marked(value: number, mark: string): Cell {
  return { number: mark === "%" ? Number((value * 100).toPrecision(15)) : value, mark };
}

/** The percent sign, the currency or the unit that a format shows. */
function markOf(format: string): string | undefined {
  const currency = /\[\$([^\]-]+)(?:-[^\]]*)?\]/.exec(format)?.[1] ?? /[€$£¥]/u.exec(format)?.[0];
  if (currency) return currency.trim();
  const unquoted = format.replace(/"[^"]*"|\\./g, "");
  if (unquoted.includes("%")) return "%";
  const unit = /[0#?]\s*"\s*([^"]{1,12}?)\s*"\s*$/u.exec(format)?.[1];
  return unit && /\p{L}|[%°€$£]/u.test(unit) ? unit : undefined;
}

/** A span of time of a number that counts days, with its seconds: `26:30:00`. */
function spanText(days: number): string {
  const text = durationText(days * 86_400);
  return /:.*:/.test(text) ? text : `${text}:00`;
}

/** Whether a format shows minutes and seconds and nothing above: what it shows is no time of the day. */
function isClockOfSeconds(format: string): boolean {
  const letters = format.replace(/"[^"]*"|\\.|\[[^\]]*\]/g, "");
  return /m+:s/i.test(letters) && !/[hdy]/i.test(letters);
}

/** A day, a time, or both, of a number that counts days. Two systems count them; one has a 29 February 1900. */
function stampReader(format: string, date1904: boolean): NumberReader {
  const unquoted = format.replace(/"[^"]*"|\\.|\[[^\]]*\]/g, "");
  const showsDay = /[dy]/i.test(unquoted);
  const showsTime = /[hs]/i.test(unquoted);
  return (value) => {
    const seconds = Math.round((value + (date1904 ? 1462 : 0)) * 86_400);
    const days = Math.floor(seconds / 86_400);
    const rest = seconds % 86_400;
    const clock = `${two(Math.floor(rest / 3600))}:${two(Math.floor(rest / 60) % 60)}`;
    const time = rest % 60 === 0 ? clock : `${clock}:${two(rest % 60)}`;
    if (value >= 0 && value < 1 && !showsDay) return { stamp: time };
    // A number that is no day is a number.
    if (days < 1 || days > 2_958_465) return value;
    const since = days < 60 ? Date.UTC(1899, 11, 31) : Date.UTC(1899, 11, 30);
    const day = new Date(since + days * 86_400_000).toISOString().slice(0, 10);
    return { stamp: showsTime || rest !== 0 ? `${day}T${time}` : day };
  };
}

function two(number: number): string {
  return String(number).padStart(2, "0");
}
