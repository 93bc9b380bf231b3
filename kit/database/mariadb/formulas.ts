import type { Calculation } from "../../formula/calculation.ts";
import { columnOf, extreme, type FormulaSyntax, type SqlFragment } from "../../formula/syntax.ts";
import { collation, literal, quoted } from "./literals.ts";

/** A whole number as a decimal, which doesn't run over. */
const whole = (value: string) => `cast(${value} as decimal(30, 0))`;

/** MariaDB computes with decimals of 65 digits. */
export const mariadbFormulas: FormulaSyntax = {
  quoted,
  constant: (value, type) =>
    value === null
      ? "null"
      : type === "date"
        ? `date ${literal(value)}`
        : typeof value === "number" && Number.isInteger(value)
          ? whole(String(value))
          : type === "moment"
            ? `timestamp ${literal(String(value).replace("T", " ").replace("Z", ""))}`
            : literal(value),
  // It takes no letter for the time zone.
  parameter: (name, type) =>
    type === "date" ? `cast(${name} as date)` : `cast(left(${name}, 19) as datetime)`,
  column: (alias, { column, type, places }) => {
    const name = columnOf(alias, quoted(column));
    return type === "number" && places === 0 ? whole(name) : name;
  },
  compared: ({ sql }) => `${sql} collate ${collation}`,
  below: (number, limit) =>
    `nullif(greatest(nullif(least(${number}, ${limit}), ${limit}), -${limit}), -${limit})`,
  same: (one, other) => `${one} <=> ${other}`,
  no: "false",
  count: whole("count(*)"),
  sum: (value) => `coalesce(sum(${value}), 0)`,
  quotient: (left, right) => `round(cast(${left} as decimal(40, 20)) / nullif(${right}, 0), 6)`,
  operations: {
    plus: ([left, right]) => `(${left?.sql} + ${right?.sql})`,
    minus: ([left, right]) => `(${left?.sql} - ${right?.sql})`,
    times: ([left, right]) => `(${left?.sql} * ${right?.sql})`,
    // Added to 0, since a decimal can be -0 here.
    remainder: ([left, right]) => `(0 + ${left?.sql} % nullif(${right?.sql}, 0))`,
    negative: ([value]) => `(0 - ${value?.sql})`,
    absolute: ([value]) => `abs(${value?.sql})`,
    round: ([value], { places }) => `round(${value?.sql}, ${places})`,
    smallest: (values, { type }) => extremeOf("least", values, type),
    largest: (values, { type }) => extremeOf("greatest", values, type),
    holds: ([text, part]) => `coalesce(locate(${small(part)}, ${small(text)}) > 0, false)`,
    "starts with": ([text, part]) => `coalesce(locate(${small(part)}, ${small(text)}) = 1, false)`,
    join: (parts) =>
      `nullif(concat(${parts.map(({ sql }) => `coalesce(${sql}, '')`).join(", ")}), '')`,
    "as text": ([value]) => (value ? textOf(value) : "null"),
    lower: ([text]) => `lower(${text?.sql})`,
    upper: ([text]) => `upper(${text?.sql})`,
    length: ([text]) => whole(`char_length(${text?.sql})`),
    later: ([day, days], { type }) => {
      const moved = `cast(date_add(${day?.sql}, interval ${days?.sql} day) as char)`;
      return `cast(nullif(greatest(${moved}, '0000-99'), '0000-99') as ${casts[type]})`;
    },
    "days between": ([from, to]) => whole(`datediff(${to?.sql}, ${from?.sql})`),
    year: ([day]) => whole(`year(${day?.sql})`),
    month: ([day]) => whole(`month(${day?.sql})`),
    day: ([day]) => whole(`day(${day?.sql})`),
  },
  read: (value, type) => (type === "moment" || type === "time" ? written(value, type) : value),
};

const small = (text: SqlFragment | undefined) => `lower(${text?.sql}) collate utf8mb4_bin`;

const casts: Readonly<Partial<Record<Calculation["type"], string>>> = {
  date: "date",
  time: "time",
  moment: "datetime",
};

/** Days and times as texts, since a value outside of their range can't represent an empty one. */
function extremeOf(
  name: string,
  values: readonly SqlFragment[],
  type: Calculation["type"],
): string {
  if (values.length === 1) return `${values[0]?.sql}`;
  if (type === "number") {
    const edge = `${name === "least" ? "" : "-"}1${"0".repeat(30)}`;
    return extreme(
      name,
      values.map(({ sql }) => sql),
      edge,
    );
  }
  const texts = values.map(({ sql }) => `cast(${sql} as char)`);
  return `cast(${extreme(name, texts, name === "least" ? "'z'" : "''")} as ${casts[type]})`;
}

const patterns: Readonly<Partial<Record<Calculation["type"], string>>> = {
  date: "%Y-%m-%d",
  time: "%H:%i",
  moment: "%Y-%m-%dT%H:%i:%sZ",
};

function written(value: string, type: Calculation["type"]): string {
  return `${type === "time" ? "time" : "date"}_format(${value}, '${patterns[type]}')`;
}

function textOf({ sql, of }: SqlFragment): string {
  if (patterns[of.type]) return written(sql, of.type);
  const text = `cast(cast(${sql} as decimal(40, ${of.places})) as char)`;
  return of.places === 0 ? text : `trim(trailing '.' from trim(trailing '0' from ${text}))`;
}
