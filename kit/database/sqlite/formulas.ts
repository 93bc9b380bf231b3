import { isAscii } from "../../formula/ascii.ts";
import type { Calculation } from "../../formula/calculation.ts";
import { columnOf, extreme, type FormulaSyntax, type SqlFragment } from "../../formula/syntax.ts";
import { literal, quoted } from "./literals.ts";
import { folded, orderTerm, recased } from "./text-order.ts";

/**
 * SQLite computes with doubles, which distinguish decimals of 15 digits: the result is rounded to the
 * places that it can have. Halves are lifted a little before they are rounded, as some lie below.
 */
export const sqliteFormulas: FormulaSyntax = {
  quoted,
  constant: (value) => (value === null ? "null" : literal(value)),
  parameter: (name) => name,
  column: (alias, { column }) => columnOf(alias, quoted(column)),
  compared: (part, alias) => {
    const { sql, of } = part;
    if (of.kind === "column" && of.letters) return of.letters === "small" ? sql : `lower(${sql})`;
    if (of.kind === "column" && of.ordered) return orderTerm(of.column, alias(of.row));
    return plainConstant(part) ?? folded(sql);
  },
  below: (number, limit) =>
    `nullif(max(nullif(min(${number}, ${limit}), ${limit}), -${limit}), -${limit})`,
  same: (one, other) => `${one} is ${other}`,
  no: "0",
  count: "count(*)",
  sum: (value, places) => snapped(`total(${value})`, places),
  quotient,
  operations: {
    plus: ([left, right], of) => snapped(`${left?.sql} + ${right?.sql}`, of.places),
    minus: ([left, right], of) => snapped(`${left?.sql} - ${right?.sql}`, of.places),
    times: ([left, right], of) => `(0 + ${snapped(`${left?.sql} * ${right?.sql}`, of.places)})`,
    remainder: ([left, right], of) => {
      const unit = `1e${of.places}`;
      const whole = (part?: SqlFragment) => `cast(round(${part?.sql} * ${unit}) as integer)`;
      return snapped(`${whole(left)} % ${whole(right)} / ${unit}`, of.places);
    },
    negative: ([value]) => `(0 - ${value?.sql})`,
    absolute: ([value]) => `abs(${value?.sql})`,
    round: ([value], of) =>
      value && value.of.places > of.places
        ? `(0 + round(${value.sql} * 1.0000000000000005, ${of.places}))`
        : `${value?.sql}`,
    smallest: (values, of) => extremeOf("min", values, of, "1e300", "'~'"),
    largest: (values, of) => extremeOf("max", values, of, "-1e300", "''"),
    holds: ([text, part]) => `coalesce(instr(${small(text)}, ${small(part)}) > 0, 0)`,
    "starts with": ([text, part]) => `coalesce(instr(${small(text)}, ${small(part)}) = 1, 0)`,
    join: (parts) => `nullif(${parts.map(({ sql }) => `coalesce(${sql}, '')`).join(" || ")}, '')`,
    "as text": ([value]) => (value ? textOf(value) : "null"),
    lower: ([text]) => small(text),
    upper: ([text]) => recased(text?.sql ?? "", "upper"),
    length: ([text]) => `length(${text?.sql})`,
    later: ([day, days], of) => {
      const span =
        days?.of.kind === "constant" ? `'${days.of.value} days'` : `${days?.sql} || ' days'`;
      const moved = `${of.type === "date" ? "date(" : "strftime('%Y-%m-%dT%H:%M:%SZ', "}${day?.sql}, ${span})`;
      return `nullif(max(${moved}, '0000-99'), '0000-99')`;
    },
    "days between": ([from, to]) =>
      `cast(julianday(${to?.sql}) - julianday(${from?.sql}) as integer)`,
    year: ([day]) => `cast(substr(${day?.sql}, 1, 4) as integer)`,
    month: ([day]) => `cast(substr(${day?.sql}, 6, 2) as integer)`,
    day: ([day]) => `cast(substr(${day?.sql}, 9, 2) as integer)`,
  },
  // Its parser takes no more than 100 symbols that wait for others.
  deepest: 18,
  read: (value) => value,
};

/** A result as the decimal that it represents. */
function snapped(value: string, places: number): string {
  return places === 0 ? `(${value})` : `round(${value}, ${places})`;
}

/** By whole numbers, since a quotient of doubles may lie on the wrong side of a half. */
function quotient(left: string, right: string, places: number): string {
  const whole = (value: string) => `cast(round(${value} * 1e${places}) as integer)`;
  return `(select case when b <> 0 then 0 + round(iif((a < 0) = (b < 0), 1, -1) * (abs(a) / abs(b) + cast((abs(a) % abs(b) * 2000000 + abs(b)) / (abs(b) * 2) as integer) / 1e6), 6) end from (select ${whole(left)} as a, ${whole(right)} as b limit 1))`;
}

function extremeOf(
  name: string,
  values: readonly SqlFragment[],
  { type }: Calculation,
  number: string,
  text: string,
): string {
  if (values.length === 1) return `${values[0]?.sql}`;
  return extreme(
    name,
    values.map(({ sql }) => sql),
    type === "number" ? number : text,
  );
}

/** A text that is written out, in small letters, where these are the same in every database. */
function plainConstant({ of }: SqlFragment): string | undefined {
  return of.kind === "constant" && typeof of.value === "string" && isAscii(of.value)
    ? literal(of.value.toLowerCase())
    : undefined;
}

const small = (text: SqlFragment | undefined) =>
  (text && plainConstant(text)) ?? recased(text?.sql ?? "", "lower");

function textOf({ sql, of }: SqlFragment): string {
  if (of.type !== "number" && of.type !== "span") return sql;
  if (of.places === 0) return `cast(cast(${sql} as integer) as text)`;
  return `(select case when x is not null then rtrim(rtrim(printf('%.${of.places}f', x), '0'), '.') end from (select ${sql} as x limit 1))`;
}
