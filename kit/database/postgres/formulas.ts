import type { Calculation } from "../../formula/calculation.ts";
import { columnOf, type FormulaSyntax, type SqlFragment } from "../../formula/syntax.ts";
import { collation, literal, quoted } from "./literals.ts";

/** PostgreSQL computes with decimals of any length. */
export const postgresFormulas: FormulaSyntax = {
  quoted,
  constant: (value, type) =>
    value === null
      ? "null::text"
      : typeof value === "number"
        ? `${value}::numeric`
        : `${literal(value)}${typed[type] ?? ""}`,
  parameter: (name, type) => `${name}::${type === "date" ? "date" : "timestamptz"}`,
  column: (alias, { column, type, places }) =>
    `${columnOf(alias, quoted(column))}${type === "number" && places === 0 ? "::numeric" : ""}`,
  compared: ({ sql }) => `${sql} collate ${quoted(collation)}`,
  below,
  same: (one, other) => `${one} is not distinct from ${other}`,
  no: "false",
  count: "count(*)::numeric",
  sum: (value) => `coalesce(sum(${value}), 0)`,
  quotient: (left, right) => `round(${left}::numeric(60, 20) / nullif(${right}, 0), 6)`,
  operations: {
    plus: ([left, right]) => `(${left?.sql} + ${right?.sql})`,
    minus: ([left, right]) => `(${left?.sql} - ${right?.sql})`,
    times: ([left, right]) => `(${left?.sql} * ${right?.sql})`,
    remainder: ([left, right]) => `(${left?.sql} % nullif(${right?.sql}, 0))`,
    negative: ([value]) => `(- ${value?.sql})`,
    absolute: ([value]) => `abs(${value?.sql})`,
    round: ([value], { places }) => `round(${value?.sql}, ${places})`,
    smallest: (values) => `least(${values.map(({ sql }) => sql).join(", ")})`,
    largest: (values) => `greatest(${values.map(({ sql }) => sql).join(", ")})`,
    holds: ([text, part]) => `coalesce(strpos(${small(text)}, ${small(part)}) > 0, false)`,
    "starts with": ([text, part]) => `coalesce(strpos(${small(text)}, ${small(part)}) = 1, false)`,
    join: (parts) => `nullif(${parts.map(({ sql }) => `coalesce(${sql}, '')`).join(" || ")}, '')`,
    "as text": ([value]) => (value ? textOf(value) : "null"),
    lower: ([text]) => `lower(${text?.sql} collate ${quoted(collation)})`,
    upper: ([text]) => `upper(${text?.sql} collate ${quoted(collation)})`,
    length: ([text]) => `char_length(${text?.sql})::numeric`,
    // By numbers, since days that are far enough away end the statement.
    later: ([day, days], { type }) =>
      type === "date"
        ? `(date '0001-01-01' + ${within(`${day?.sql} - date '0001-01-01' + ${days?.sql}`, 0, 3_652_059)}::int)`
        : `to_timestamp(${within(`extract(epoch from ${day?.sql}) + ${days?.sql} * 86400`, -62_135_596_800, 253_402_300_800)}::float8)`,
    "days between": ([from, to]) => `(${to?.sql} - ${from?.sql})::numeric`,
    year: ([day]) => part("year", day),
    month: ([day]) => part("month", day),
    day: ([day]) => part("day", day),
  },
  read: (value, type) => (type === "text" ? `${value} collate ${quoted(collation)}` : value),
};

function below(number: string, limit: string): string {
  return between(number, `-${limit}`, limit);
}

/** A whole number that is empty unless it lies from `first` to below `last`. */
function within(number: string, first: number, last: number): string {
  return between(number, String(first - 1), String(last));
}

/** `least` and `greatest` pass over what is empty, and so give the limit itself. */
function between(number: string, low: string, high: string): string {
  return `nullif(greatest(nullif(least(${number}, ${high}), ${high}), ${low}), ${low})`;
}

function inUtc({ sql, of }: SqlFragment): string {
  return of.type === "moment" ? `${sql} at time zone 'UTC'` : sql;
}

function part(name: string, day: SqlFragment | undefined): string {
  return `extract(${name} from ${day ? inUtc(day) : "null"})`;
}

const small = (text: SqlFragment | undefined) =>
  `lower(${text?.sql} collate ${quoted(collation)}) collate "C"`;

const patterns: Readonly<Partial<Record<Calculation["type"], string>>> = {
  date: "YYYY-MM-DD",
  time: "HH24:MI",
  moment: 'YYYY-MM-DD"T"HH24:MI:SS"Z"',
};

function textOf(value: SqlFragment): string {
  const pattern = patterns[value.of.type];
  return pattern
    ? `to_char(${inUtc(value)}, '${pattern}')`
    : `trim_scale(${value.sql}::numeric)::text`;
}

/** What makes a literal one of its type, where nothing else says so. */
const typed: Readonly<Partial<Record<Calculation["type"], string>>> = {
  text: "::text",
  date: "::date",
  moment: "::timestamptz",
};
