/** Which sign is before the fraction: `1,234.5` or `1.234,5`. */
export type DecimalSign = "point" | "comma";

/** A number as it was found in a text. */
export interface FoundNumber {
  /** Its value under either reading: plain digits with a point, or undefined where it can't be read so. */
  point: string | undefined;
  comma: string | undefined;
  /** How many digits were written behind the sign before the fraction, zeros at the end included. */
  pointWritten: number;
  commaWritten: number;
  /** What stood before or behind the digits: `€`, `%`, `kg`; empty for none. */
  mark: string;
}

const pattern =
  /^(\()?([^\s\d.,()+−-]{0,8}|[+−-]?[$€£¥]|[A-Z]{3})\s*([+−-])?\s*(\d[\d.,'’\u00a0\u202f ]*|[.,]\d+)\s*([^\d\s()][^\d()]{0,11}|m²|m³|km²|cm²|cm³)?(\))?$/u;

/** As a percentage, as a fraction of one, or not at all: they are set aside. */
export const bareNumbers = ["percent", "fraction", "ask"] as const;
export type BareNumbers = (typeof bareNumbers)[number];

/** Numbers that need no search: digits without a needless zero, at most two of them behind a point. */
const plain = /^(?:0|[1-9]\d{0,14})(?:\.\d?[1-9])?$/;

/** Finds the number in a text such as `12`, `-1.234,50 €`, `12 kg`, `(3.50)`; undefined when it isn't one. */
export function findNumber(text: string): FoundNumber | undefined {
  if (plain.test(text)) {
    const comma = text.includes(".") ? undefined : text;
    return { point: text, comma, pointWritten: placesOf(text), commaWritten: 0, mark: "" };
  }
  // Bookkeepers write the sign behind the number.
  if (/^\d[\d.,'’ ]*-$/.test(text)) return findNumber(`-${text.slice(0, -1)}`);
  const found = pattern.exec(text);
  if (!found) return undefined;
  const [, open, before = "", sign, body = "", behind = "", close] = found;
  if (!open !== !close) return undefined;
  const lead = before.replace(/^[+−-]/u, "");
  const booked = /^[CD]R$/.test(behind.trim()) ? behind.trim() : "";
  const negative = Boolean(open) || booked === "DR" || /[-−]/u.test((sign ?? "") + before);
  const mark = lead || (booked ? "" : behind.trim());
  if (lead && behind.trim() && !booked) return undefined;
  // A word before the digits is a name, such as `Hive 12`: only a currency is there.
  if (lead && !currencyOf(lead)) return undefined;
  if (mark && !/^[\p{L}\p{Sc}°µ%][\p{L}\p{Sc}\p{No}°µ%/.²³ ]*$/u.test(mark)) return undefined;
  const digits = body.trim().replace(/['’\u00a0\u202f ]/gu, (space, at: number, all: string) =>
    // A space within a number groups three digits.
    /^\d{3}(?!\d)/.test(all.slice(at + 1)) ? "" : space,
  );
  const point = asDecimal(digits, ",", ".");
  const comma = asDecimal(digits, ".", ",");
  if (point === undefined && comma === undefined) return undefined;
  const signed = (value: string | undefined) =>
    value !== undefined && negative && /[1-9]/.test(value) ? `-${value}` : value;
  return {
    point: signed(point),
    comma: signed(comma),
    pointWritten: writtenPlaces(digits, ".", point),
    commaWritten: writtenPlaces(digits, ",", comma),
    mark,
  };
}

function writtenPlaces(digits: string, sign: string, found: string | undefined): number {
  const at = digits.lastIndexOf(sign);
  return at < 0 || found === undefined ? 0 : digits.length - at - 1;
}

/** Plain digits, when the text is a number with these signs between thousands and before the fraction. */
function asDecimal(digits: string, group: string, decimal: string): string | undefined {
  let whole = digits;
  let fraction = "";
  const at = digits.indexOf(decimal);
  if (at >= 0) {
    whole = digits.slice(0, at);
    fraction = digits.slice(at + 1);
    if (!/^\d+$/.test(fraction)) return undefined;
  }
  if (whole.includes(group)) {
    const parts = whole.split(group);
    const right = parts.every((part, index) =>
      index === 0 ? /^[1-9]\d{0,2}$/.test(part) : /^\d{3}$/.test(part),
    );
    if (!right) return undefined;
    whole = parts.join("");
  }
  if (whole === "" && fraction !== "") whole = "0";
  if (!/^\d+$/.test(whole)) return undefined;
  const short = fraction.replace(/0+$/, "");
  const start = whole.replace(/^0+(?=\d)/, "");
  return short ? `${start}.${short}` : start;
}

const signs: Readonly<Record<string, string>> = {
  "€": "EUR",
  $: "USD",
  us$: "USD",
  "£": "GBP",
  "¥": "JPY",
  "₹": "INR",
  "₺": "TRY",
  "₴": "UAH",
  zł: "PLN",
  kč: "CZK",
  fr: "CHF",
  "fr.": "CHF",
  sfr: "CHF",
  r$: "BRL",
  "₩": "KRW",
};

const codes = new Set(
  "EUR USD GBP JPY CHF SEK NOK DKK PLN CZK HUF RON BGN ISK TRY UAH INR CNY KRW BRL MXN ARS CLP COP PEN UYU AUD NZD CAD ZAR ILS MAD".split(
    " ",
  ),
);

/** The ISO 4217 code of a sign or a code; undefined for what is no currency. */
export function currencyOf(mark: string): string | undefined {
  const key = mark.trim();
  if (codes.has(key.toUpperCase())) return key.toUpperCase();
  return Object.hasOwn(signs, key.toLowerCase()) ? signs[key.toLowerCase()] : undefined;
}

/** How many digits are behind the point of plain digits. */
export function placesOf(digits: string): number {
  const at = digits.indexOf(".");
  return at < 0 ? 0 : digits.length - at - 1;
}

/** How many digits count in all, leading zeros apart. */
export function digitsOf(digits: string): number {
  return digits.replace(/[-.]/g, "").replace(/^0+/, "").length;
}

/** Whether plain digits are a number of at most 1, whatever its sign, and not 0. */
export function isSmall(digits: string): boolean {
  return /^-?(?:0\.\d+|1)$/.test(digits);
}

/** The product of two numbers in plain digits, exactly. */
export function product(one: string, other: string): string {
  const whole = (digits: string) => BigInt(digits.replace(".", ""));
  const places = placesOf(one) + placesOf(other);
  const digits = whole(one) * whole(other);
  const text = String(digits < 0n ? -digits : digits).padStart(places + 1, "0");
  const fraction = text.slice(text.length - places).replace(/0+$/, "");
  const start = text.slice(0, text.length - places);
  return `${digits < 0n ? "-" : ""}${start}${places > 0 && fraction ? `.${fraction}` : ""}`;
}
