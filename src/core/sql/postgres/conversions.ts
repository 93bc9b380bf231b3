import type { ColumnType } from "../../fields/storage.ts";
import { type ConversionWords, conversionBy, type ZonedWords } from "../conversions.ts";

const nullType: Readonly<Record<ColumnType["kind"], string>> = {
  text: "text",
  "long text": "text",
  files: "text",
  code: "text",
  integer: "bigint",
  decimal: "numeric",
  boolean: "boolean",
  date: "date",
  time: "time",
  datetime: "timestamptz",
};

function textOf(value: string, from: ColumnType): string {
  switch (from.kind) {
    case "integer":
      return `${value}::text`;
    case "decimal":
      return `trim_scale(${value})::text`;
    case "boolean":
      return `case when ${value} then 'yes' when not ${value} then 'no' end`;
    case "date":
      return `to_char(${value}, 'YYYY-MM-DD')`;
    case "time":
      return `to_char(${value}, 'HH24:MI')`;
    case "datetime":
      return `to_char(${value} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
    case "text":
    case "long text":
    case "files":
    case "code":
      return value;
  }
}

/** A text as patterns take it: they refuse the collation of texts. */
const plain = (value: string) => `trim(${value}) collate "C"`;
const number = String.raw`'^[+-]?([0-9]{1,15}(\.[0-9]*)?|\.[0-9]+)$'`;
const day = `'^(?!0000)[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])'`;
const hour = "([01][0-9]|2[0-3]):[0-5][0-9]";

/** Whether the first ten characters of a text are a day that there is. */
const isDay = (text: string) =>
  `case when ${text} ~ ${day} then substr(${text}, 9, 2)::int <= extract(day from (substr(${text}, 1, 7) || '-01')::date + interval '1 month - 1 day') else false end`;

const conversions: ConversionWords["conversions"] = {
  "text integer": (value) =>
    `case when ${plain(value)} ~ ${number} then case when trim(${value})::numeric = trunc(trim(${value})::numeric) then trunc(trim(${value})::numeric)::bigint end end`,
  "text decimal": (value, to, lossy) => {
    const read = `trim(${value})::numeric`;
    const round = `round(${read}, ${to.kind === "decimal" ? to.places : 0})`;
    const exact = lossy ? round : `case when ${read} = ${round} then ${round} end`;
    return `case when ${plain(value)} ~ ${number} then ${exact} end`;
  },
  "text boolean": (value) =>
    `case when lower(trim(${value})) in ('yes', 'true', '1') then true when lower(trim(${value})) in ('no', 'false', '0') then false end`,
  "text date": (value) =>
    `case when char_length(trim(${value})) = 10 and ${isDay(plain(value))} then trim(${value})::date end`,
  "text time": (value) => `case when ${plain(value)} ~ '^${hour}$' then trim(${value})::time end`,
  "text datetime": (value) =>
    `case when ${isDay(plain(value))} and substr(${plain(value)}, 11) ~ '^T${hour}:[0-5][0-9]Z$' then trim(${value})::timestamptz end`,
  "integer decimal": (value) => `${value}::numeric`,
  "decimal integer": (value, _to, lossy) =>
    lossy
      ? `round(${value})::bigint`
      : `case when ${value} = trunc(${value}) then ${value}::bigint end`,
  "integer boolean": (value) => `case ${value} when 1 then true when 0 then false end`,
  "decimal boolean": (value) => `case ${value} when 1 then true when 0 then false end`,
  "boolean integer": (value) => `${value}::int::bigint`,
  "boolean decimal": (value) => `${value}::int::numeric`,
};

const local = (moment: string, zone: string) =>
  `${moment} at time zone '${zone.replaceAll("'", "''")}'`;

const zoned: ZonedWords = {
  midnight: (day, zone) => local(`${day}::timestamp`, zone),
  day: (moment, zone) => `(${local(moment, zone)})::date`,
  time: (moment, zone) => `date_trunc('minute', ${local(moment, zone)})::time`,
  isMidnight: (moment, zone) => `(${local(moment, zone)})::time = '00:00'`,
};

export const converted = conversionBy({
  textOf,
  cut: (text, length) => `left(${text}, ${length})`,
  length: (text) => `char_length(${text})`,
  rounded: (value, places) => `round(${value}, ${places})`,
  isRounded: (value, rounded) => `${value} = ${rounded}`,
  conversions,
  zoned,
  nothing: (to) => `null::${nullType[to.kind]}`,
});
