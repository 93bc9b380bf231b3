import type { Calculation, Operation, RowSource } from "./calculation.ts";
import * as compute from "./computing.ts";

type Computed = compute.Computed;

/** A record: its values by column. */
export type Row = Readonly<Record<string, Computed>>;

/** What a formula is computed with besides its own record. */
export interface Surroundings {
  /** This day, and this moment. */
  today: string;
  now: string;
  /** The number of whoever asks. */
  me?: number;
  /** The record of a table with a number. */
  record?(table: string, id: number): Row | undefined;
  /** The records that belong to one. */
  belonging?(source: RowSource, id: number): readonly Row[];
}

/** Computes a value, of the rows by their numbers. */
type Step = (rows: Row[], around: Surroundings) => Computed;

/** A formula as a function of a record, with the same result as its SQL. */
export function evaluation(
  calculation: Calculation,
): (record: Row, around: Surroundings) => Computed {
  const step = stepOf(calculation);
  return (record, around) => step([record], around);
}

function stepOf(calculation: Calculation): Step {
  switch (calculation.kind) {
    case "constant":
    case "parameter": {
      const { value } = calculation;
      return () => value;
    }
    case "today":
      return (_, { today }) => today;
    case "now":
      return (_, { now }) => now;
    case "me":
      return (_, { me }) => me ?? null;
    case "includes me": {
      const { of, source } = calculation;
      return (rows, { belonging, me }) =>
        belonging?.(source, Number(rows[of]?.id)).some(({ id }) => id === me) ?? false;
    }
    case "column": {
      const { row, column } = calculation;
      return (rows) => rows[row]?.[column] ?? null;
    }
    case "through":
      return through(calculation);
    case "over":
      return over(calculation);
    case "operation":
      return operations[calculation.name](calculation.given.map(stepOf), calculation);
  }
}

function through({
  reference,
  table,
  row,
  value,
}: Extract<Calculation, { kind: "through" }>): Step {
  const [key, inner] = [stepOf(reference), stepOf(value)];
  const nothing = value.type === "boolean" ? false : null;
  return (rows, around) => {
    const id = key(rows, around);
    const record = typeof id === "number" && around.record?.(table, id);
    return record ? inner(withRow(rows, row, record), around) : nothing;
  };
}

function withRow(rows: readonly Row[], at: number, row: Row): Row[] {
  const more = [...rows];
  more[at] = row;
  return more;
}

function over(calculation: Extract<Calculation, { kind: "over" }>): Step {
  const { figure, of, source, row, value, condition } = calculation;
  const asked = condition && stepOf(condition);
  const read = value && stepOf(value);
  const places = value?.places ?? 0;
  return (rows, around) => {
    const id = rows[of]?.id;
    const all = typeof id === "number" ? (around.belonging?.(source, id) ?? []) : [];
    const inner = all
      .map((record) => withRow(rows, row, record))
      .filter((each) => !asked || asked(each, around) === true);
    if (!read) return inner.length;
    const values = inner.map((each) => read(each, around)).filter((each) => each !== null);
    if (figure === "smallest") return compute.smallest(...values);
    if (figure === "largest") return compute.largest(...values);
    const sum = values.reduce<Computed>(
      (total, each) => compute.plus(total as number | null, each as number, places),
      0,
    ) as number | null;
    return figure === "sum" ? sum : compute.dividedBy(sum, values.length, places);
  };
}

type Numbers = (left: number | null, right: number | null, places: number) => Computed;
type Operator = (given: readonly Step[], of: Calculation & { given: Calculation[] }) => Step;

/** An operation between two numbers, whose places `placesOf` tells. */
function between(
  operate: Numbers,
  placesOf: (of: Calculation & { given: Calculation[] }) => number,
): Operator {
  return ([left, right], of) => {
    const places = placesOf(of);
    return (rows, around) =>
      operate(
        left?.(rows, around) as number | null,
        right?.(rows, around) as number | null,
        places,
      );
  };
}

/** An operation on values one by one. */
function plainly(operate: (...values: never[]) => Computed): Operator {
  const any = operate as (...values: Computed[]) => Computed;
  return (given) => {
    const [first, second] = given;
    if (first && given.length === 1) return (rows, around) => any(first(rows, around));
    if (first && second && given.length === 2) {
      return (rows, around) => any(first(rows, around), second(rows, around));
    }
    return (rows, around) => any(...given.map((each) => each(rows, around)));
  };
}

const own = ({ places }: Calculation) => places;
const ofBoth = ({ given }: { given: Calculation[] }) =>
  Math.max(...given.map(({ places }) => places));

const operations: Readonly<Record<Operation, Operator>> = {
  plus: between(compute.plus, own),
  minus: between(compute.minus, own),
  times: between(compute.times, own),
  "divided by": between(compute.dividedBy, ofBoth),
  remainder: between(compute.remainder, own),
  negative: plainly(compute.negative),
  absolute: plainly(compute.absolute),
  round: ([value], { places, given: [from] }) => {
    const known = from?.places ?? 0;
    return (rows, around) => compute.rounded(value?.(rows, around) as number | null, places, known);
  },
  smallest: plainly(compute.smallest),
  largest: plainly(compute.largest),
  equal: plainly(compute.equal),
  different: plainly((left: Computed, right: Computed) => !compute.equal(left, right)),
  less: plainly(compute.less),
  "at most": plainly(compute.atMost),
  in:
    ([value, ...among]) =>
    (rows, around) => {
      const found = value?.(rows, around) ?? null;
      return found !== null && among.some((each) => compute.equal(found, each(rows, around)));
    },
  and:
    ([left, right]) =>
    (rows, around) =>
      left?.(rows, around) === true && right?.(rows, around) === true,
  or:
    ([left, right]) =>
    (rows, around) =>
      left?.(rows, around) === true || right?.(rows, around) === true,
  not:
    ([value]) =>
    (rows, around) =>
      value?.(rows, around) !== true,
  if:
    ([condition, one, other]) =>
    (rows, around) =>
      ((condition?.(rows, around) === true ? one : other) ?? (() => null))(rows, around),
  empty: plainly((value: Computed) => value === null),
  holds: plainly(compute.holds),
  "starts with": plainly(compute.startsWith),
  join: plainly(compute.joined),
  "as text": ([value], { given: [from] }) => {
    const numeric = from?.type === "number" || from?.type === "span";
    const places = from?.places ?? 0;
    return (rows, around) => {
      const found = value?.(rows, around) ?? null;
      return numeric ? compute.numberText(found as number | null, places) : found;
    };
  },
  lower: plainly(compute.lower),
  upper: plainly(compute.upper),
  length: plainly(compute.length),
  later: plainly(compute.later),
  "days between": plainly(compute.daysBetween),
  year: plainly((day: string | null) => compute.partOf(day, "year")),
  month: plainly((day: string | null) => compute.partOf(day, "month")),
  day: plainly((day: string | null) => compute.partOf(day, "day")),
};
