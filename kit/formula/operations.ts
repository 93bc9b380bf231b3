import type { Calculation, Figure, Measure, Operation, Result } from "./calculation.ts";
import { Complained, type Complaint } from "./complaint.ts";
import type { ValueType } from "./value-type.ts";

/** The most places that a product has, so that 15 digits leave room before the point. */
const mostPlaces = 8;

/** The places of a quotient, and of an average. */
export const quotientPlaces = 6;

/** A bound above every decimal of 15 digits. */
export const largestNumber = 1e15;

/** A number rounded to so many places; anything else as it is. */
export function roundedTo(value: Calculation, places: number): Calculation {
  return value.type === "number" && places < value.places
    ? operation("round", [value], { ...resultOf(value), places })
    : value;
}

export function plain(type: ValueType): Result {
  return { type, places: 0, optional: true, most: largestNumber, measure: undefined };
}

export function resultOf({ type, places, optional, most, measure }: Result): Result {
  return { type, places, optional, most, measure };
}

export function constant(
  type: ValueType,
  value: number | string | boolean | null,
  more: Partial<Result> = {},
): Calculation {
  return { ...plain(type), optional: value === null, ...more, kind: "constant", value };
}

/** An operation that is empty where one of what it is given may be, unless its result says otherwise. */
export function operation(name: Operation, given: Calculation[], result: Result): Calculation {
  // What is rounded has to have no more digits before, either.
  const places = name === "round" ? Math.max(...given.map((each) => each.places)) : result.places;
  const room = largestNumber / 10 ** places;
  const computes =
    ["plus", "minus", "times", "divided by"].includes(name) ||
    (name === "round" && places > result.places);
  return {
    ...resultOf(result),
    ...(computes && { most: Math.min(result.most, room) }),
    kind: "operation",
    name,
    given,
    guarded: computes && result.most > room,
  };
}

/** A condition holds or doesn't: it is never empty. */
export function condition(name: Operation, given: Calculation[]): Calculation {
  return operation(name, given, { ...plain("boolean"), optional: false });
}

export function either(one: Result, other: Result): Result {
  return {
    type: one.type,
    places: Math.max(one.places, other.places),
    optional: one.optional || other.optional,
    most: Math.max(one.most, other.most),
    measure: common(one, other),
  };
}

export function asText(value: Calculation): Calculation {
  return value.type === "text"
    ? value
    : operation("as text", [value], { ...plain("text"), optional: value.optional });
}

export function sum(operator: "+" | "-", left: Calculation, right: Calculation): Calculation {
  const either = left.optional || right.optional;
  if (left.type === "number") {
    return operation(operator === "+" ? "plus" : "minus", [left, right], {
      ...plain("number"),
      places: Math.max(left.places, right.places),
      most: left.most + right.most,
      measure: common(left, right),
    });
  }
  if (left.type === "span" && right.type === "span") {
    return operation(operator === "+" ? "plus" : "minus", [left, right], {
      ...plain("span"),
      optional: either,
      most: left.most + right.most,
    });
  }
  if (right.type !== "span" && left.type !== "span") {
    return operation("days between", [right, left], { ...plain("span"), most: 4e6 });
  }
  const [day, days] = left.type === "span" ? [right, left] : [left, right];
  const span = operator === "-" ? operation("negative", [days], days) : days;
  return operation("later", [day, span], plain(day.type));
}

export function product(left: Calculation, right: Calculation, at: Complaint["at"]): Calculation {
  const places = left.places + right.places;
  if (left.type === "span" || right.type === "span") {
    const days = operation("times", [left, right], {
      ...plain("number"),
      places,
      most: left.most * right.most,
    });
    return operation("round", [days], { ...plain("span"), most: days.most });
  }
  if (places > mostPlaces) {
    throw new Complained(
      (words) => words.manyPlaces(places),
      at,
      (words) => words.roundBefore,
    );
  }
  return operation("times", [left, right], {
    ...plain("number"),
    places,
    most: left.most * right.most,
    measure: ofProduct(left, right, at),
  });
}

export function figureResult(figure: Figure, value: Calculation | undefined): Result {
  if (figure === "count") return { ...plain("number"), optional: false };
  const base = value ?? plain("number");
  if (figure === "sum") {
    const most = Math.min(base.most * 1e9, largestNumber / 10 ** base.places);
    return { ...resultOf(base), optional: false, most };
  }
  if (figure === "average") {
    return { ...plain("number"), places: quotientPlaces, measure: base.measure };
  }
  return { ...resultOf(base), optional: true };
}

/** What a sum, or one of two values, measures. */
function common(one: Result, other: Result): Measure | undefined {
  return one.measure === other.measure ? one.measure : undefined;
}

function ofProduct(left: Result, right: Result, at: Complaint["at"]): Measure | undefined {
  if (left.measure && right.measure && left.measure !== right.measure) {
    throw new Complained(
      (words) => words.moneyByTime,
      at,
      (words) => words.takeHours,
    );
  }
  return left.measure && right.measure ? undefined : (left.measure ?? right.measure);
}
