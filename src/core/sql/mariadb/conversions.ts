import type { ColumnType } from "../../fields/storage.ts";
import { type ConversionWords, conversionBy, type ZonedWords } from "../conversions.ts";
import { offsetSql } from "../zones.ts";

function textOf(value: string, from: ColumnType): string {
  switch (from.kind) {
    case "integer":
      return `cast(${value} as char)`;
    case "decimal":
      return from.places === 0
        ? `cast(${value} as char)`
        : `trim(trailing '.' from trim(trailing '0' from cast(${value} as char)))`;
    case "boolean":
      return `case when ${value} then 'yes' when not ${value} then 'no' end`;
    case "date":
      return `date_format(${value}, '%Y-%m-%d')`;
    case "time":
      return `date_format(${value}, '%H:%i')`;
    case "datetime":
      return `date_format(${value}, '%Y-%m-%dT%H:%i:%sZ')`;
    case "text":
    case "long text":
    case "files":
    case "code":
      return value;
  }
}

/** A text as patterns take it: by letters of their own case. */
const plain = (value: string) => `trim(${value}) collate utf8mb4_bin`;
const number = "'^[+-]?([0-9]{1,15}([.][0-9]*)?|[.][0-9]+)$'";
const read = (value: string) => `cast(trim(${value}) as decimal(38, 20))`;
const day = "'^(?!0000)[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])'";
const hour = "([01][0-9]|2[0-3]):[0-5][0-9]";

/** Whether the first ten characters of a text are a day that there is. */
const isDay = (value: string) =>
  `case when ${plain(value)} regexp ${day} then cast(substr(trim(${value}), 9, 2) as signed) <= day(last_day(concat(substr(trim(${value}), 1, 7), '-01'))) else false end`;

const conversions: ConversionWords["conversions"] = {
  "text integer": (value) =>
    `case when ${plain(value)} regexp ${number} then case when ${read(value)} = truncate(${read(value)}, 0) then cast(${read(value)} as signed) end end`,
  "text decimal": (value, to, lossy) => {
    const round = `round(${read(value)}, ${to.kind === "decimal" ? to.places : 0})`;
    const exact = lossy ? round : `case when ${read(value)} = ${round} then ${round} end`;
    return `case when ${plain(value)} regexp ${number} then ${exact} end`;
  },
  "text boolean": (value) =>
    `case when lower(trim(${value})) in ('yes', 'true', '1') then true when lower(trim(${value})) in ('no', 'false', '0') then false end`,
  "text date": (value) =>
    `case when char_length(trim(${value})) = 10 and ${isDay(value)} then cast(trim(${value}) as date) end`,
  "text time": (value) =>
    `case when ${plain(value)} regexp '^${hour}$' then cast(trim(${value}) as time) end`,
  "text datetime": (value) =>
    `case when ${isDay(value)} and substr(${plain(value)}, 11) regexp '^T${hour}:[0-5][0-9]Z$' then cast(replace(substr(trim(${value}), 1, 19), 'T', ' ') as datetime) end`,
  "integer decimal": (value) => value,
  "decimal integer": (value, _to, lossy) =>
    lossy
      ? `cast(round(${value}, 0) as signed)`
      : `case when ${value} = truncate(${value}, 0) then cast(${value} as signed) end`,
  "integer boolean": (value) => `case ${value} when 1 then true when 0 then false end`,
  "decimal boolean": (value) => `case ${value} when 1 then true when 0 then false end`,
  "boolean integer": (value) => value,
  "boolean decimal": (value) => value,
};

const literal = (text: string) => `'${text.replace("T", " ").replace("Z", "")}'`;

/** A moment by the clock of a time zone. */
function local(moment: string, zone: string): string {
  if (zone === "UTC") return moment;
  return `date_add(${moment}, interval (${offsetSql(zone, moment, "moment", literal)}) second)`;
}

const zoned: ZonedWords = {
  midnight: (day, zone) => {
    const begin = `cast(${day} as datetime)`;
    if (zone === "UTC") return begin;
    return `date_sub(${begin}, interval (${offsetSql(zone, day, "day", literal)}) second)`;
  },
  day: (moment, zone) => `cast(${local(moment, zone)} as date)`,
  time: (moment, zone) => `cast(date_format(${local(moment, zone)}, '%H:%i') as time)`,
  isMidnight: (moment, zone) => `cast(${local(moment, zone)} as time) = '00:00:00'`,
};

export const converted = conversionBy({
  textOf,
  cut: (text, length) => `left(${text}, ${length})`,
  length: (text) => `char_length(${text})`,
  rounded: (value, places) => `round(${value}, ${places})`,
  isRounded: (value, rounded) => `${value} = ${rounded}`,
  conversions,
  zoned,
  nothing: () => "null",
});
