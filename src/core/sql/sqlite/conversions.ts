import { literal } from "../../../../kit/database/sqlite/literals.ts";
import type { ColumnType } from "../../fields/storage.ts";
import { type ConversionWords, conversionBy, type ZonedWords } from "../conversions.ts";
import { offsetSql } from "../zones.ts";

function textOf(value: string, from: ColumnType): string {
  switch (from.kind) {
    case "integer":
      return `cast(${value} as text)`;
    case "decimal":
      return `case when ${value} = cast(${value} as integer) then cast(cast(${value} as integer) as text) when ${value} is not null then rtrim(printf('%.${from.places}f', ${value}), '0') end`;
    case "boolean":
      return `case ${value} when 1 then 'yes' when 0 then 'no' end`;
    case "text":
    case "long text":
    case "files":
    case "code":
    case "date":
    case "time":
    case "datetime":
      return value;
  }
}

/**
 * Whether a text is a number in plain digits: compared with a number, a text is taken for one if the whole
 * of it is one.
 */
const isNumber = (value: string, type: "integer" | "numeric") =>
  `${value} = cast(${value} as ${type}) and ${value} not glob '*[eE]*' and abs(cast(${value} as ${type})) <= 999999999999999`;

const conversions: ConversionWords["conversions"] = {
  "text integer": (value) =>
    `case when ${isNumber(value, "integer")} then cast(${value} as integer) end`,
  "text decimal": (value, to, lossy) => {
    const number = `cast(${value} as numeric)`;
    const round = rounded(number, to.kind === "decimal" ? to.places : 0);
    const exact = lossy ? "" : ` and ${isSameDecimal(number, round)}`;
    return `case when ${isNumber(value, "numeric")}${exact} then ${lossy ? round : number} end`;
  },
  "text boolean": (value) =>
    `case when lower(trim(${value})) in ('yes', 'true', '1') then 1 when lower(trim(${value})) in ('no', 'false', '0') then 0 end`,
  "text date": (value) =>
    `case when trim(${value}) is date(trim(${value})) then trim(${value}) end`,
  "text time": (value) =>
    `case when trim(${value}) is strftime('%H:%M', trim(${value})) and trim(${value}) < '24:00' then trim(${value}) end`,
  "text datetime": (value) =>
    `case when trim(${value}) is strftime('%Y-%m-%dT%H:%M:%SZ', trim(${value})) then trim(${value}) end`,
  "integer decimal": (value) => value,
  "decimal integer": (value, _to, lossy) =>
    lossy
      ? `cast(round(${value}) as integer)`
      : `case when ${value} = cast(${value} as integer) then cast(${value} as integer) end`,
  "integer boolean": (value) => `case when ${value} in (0, 1) then ${value} end`,
  "decimal boolean": (value) => `case when ${value} in (0, 1) then cast(${value} as integer) end`,
  "boolean integer": (value) => value,
  "boolean decimal": (value) => value,
};

/** A moment by the clock of a time zone, in the form of a moment. */
function local(moment: string, zone: string): string {
  if (zone === "UTC") return moment;
  const offset = offsetSql(zone, moment, "moment", literal);
  return `strftime('%Y-%m-%dT%H:%M:%SZ', ${moment}, printf('%+d seconds', ${offset}))`;
}

const zoned: ZonedWords = {
  midnight: (day, zone) => {
    if (zone === "UTC") return `${day} || 'T00:00:00Z'`;
    const offset = offsetSql(zone, day, "day", literal);
    return `strftime('%Y-%m-%dT%H:%M:%SZ', ${day}, printf('%+d seconds', -(${offset})))`;
  },
  day: (moment, zone) => `substr(${local(moment, zone)}, 1, 10)`,
  time: (moment, zone) => `substr(${local(moment, zone)}, 12, 5)`,
  isMidnight: (moment, zone) => `substr(${local(moment, zone)}, 12, 8) = '00:00:00'`,
};

/** Halves are lifted a little before they are rounded, since some lie below. */
const rounded = (value: string, places: number) =>
  `round(${value} * 1.0000000000000005, ${places})`;

/** Whether two numbers are the same one of 15 digits: rounding may give the double beside it. */
export function isSameDecimal(value: string, other: string): string {
  return `abs(${value} - ${other}) <= abs(${value}) * 4e-16`;
}

export const converted = conversionBy({
  textOf,
  cut: (text, length) => `substr(${text}, 1, ${length})`,
  length: (text) => `length(${text})`,
  rounded,
  isRounded: isSameDecimal,
  conversions,
  zoned,
  nothing: () => "null",
});
