/*
 * Spans of time, kept as a number of seconds with at most three places. They are written with hours first:
 * `2:30`, `26:30:15`, `0:01:20.4`.
 */

/** What the two parts of `1:20` are. */
export type SpanParts = "h:mm" | "m:ss";

/** Digits behind the seconds that are kept. */
export const secondPlaces = 3;

/** The longest span, in seconds: some thirty thousand years. */
const longestSpan = 1e12;

/** The most characters of a span, as somebody writes it. */
const longestText = 40;

/** A span as it is written: with seconds where it has some. */
export function durationText(seconds: number): string {
  const thousandths = Math.round(Math.abs(seconds) * 1000);
  const whole = Math.floor(thousandths / 1000);
  const rest = String(thousandths % 1000)
    .padStart(3, "0")
    .replace(/0+$/, "");
  const two = (number: number) => String(number).padStart(2, "0");
  const clock = `${Math.floor(whole / 3600)}:${two(Math.floor(whole / 60) % 60)}`;
  const exact = rest || whole % 60 ? `:${two(whole % 60)}${rest && `.${rest}`}` : "";
  return `${seconds < 0 && thousandths > 0 ? "-" : ""}${clock}${exact}`;
}

const clock = /^(-)?(\d{1,8}):([0-5]\d)(?::([0-5]\d))?(?:[.,](\d{1,3})0*)?$/;
const number = "(\\d{1,8}(?:[.,]\\d{1,6})?)";
const worded = new RegExp(
  `^(-)?(?:${number}\\s*(?:h|hrs?|hours?|std|stunden?|horas?|heures?|ore|ora|uur)\\.?\\s*)?(?:${number}\\s*(m|min|mins|minutes?|minuten?|minutos?|minuti|minuto)?\\.?\\s*)?(?:${number}\\s*(?:s|secs?|seconds?|sek|sekunden?|segundos?|secondes?|secondi|secondo)\\.?)?$`,
  "i",
);

/** The seconds in a span such as `2:30`, `1:20.4`, `2h30` or `90 min`; undefined for what is none. */
export function secondsOf(text: string, parts: SpanParts = "h:mm"): number | undefined {
  if (text.length > longestText) return undefined;
  const seconds = fromClock(text, parts) ?? fromWords(text);
  return seconds === undefined || Math.abs(seconds) > longestSpan ? undefined : seconds;
}

function fromClock(text: string, parts: SpanParts): number | undefined {
  const found = clock.exec(text);
  if (!found) return undefined;
  const [, minus, first, second, third, fraction = "0"] = found;
  // A fraction is one of seconds.
  const hasHours = third !== undefined || (parts === "h:mm" && found[5] === undefined);
  const [hours, minutes, seconds] = hasHours ? [first, second, third ?? 0] : [0, first, second];
  const whole = Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds);
  return signed(minus, (whole * 1000 + Number(fraction.padEnd(3, "0"))) / 1000);
}

function fromWords(text: string): number | undefined {
  const [all, minus, hours, minutes, unit, seconds] = worded.exec(text) ?? [];
  if (!all || (hours === undefined && seconds === undefined && !unit)) return undefined;
  // Minutes need no word behind hours: `2h30`.
  if (minutes !== undefined && !unit && (hours === undefined || seconds !== undefined)) {
    return undefined;
  }
  const value = (digits = "0") => Number(digits.replace(",", "."));
  const sum = value(hours) * 3600 + value(minutes) * 60 + value(seconds);
  return signed(minus, Math.round(sum * 1000) / 1000);
}

function signed(minus: string | undefined, seconds: number): number {
  return minus && seconds !== 0 ? -seconds : seconds;
}
