import { secondPlaces } from "../../../kit/formula/durations.ts";
import type { FieldType } from "./field-type.ts";
import { bounds, type Storage } from "./storage.ts";
import type { Constant } from "./type-rule.ts";

type NumberType = Extract<FieldType, { kind: "integer" | "decimal" | "money" | "percent" }>;
type DecimalType = Extract<FieldType, { kind: "decimal" | "money" | "percent" }>;

/** Digits that a decimal can have in all: what SQLite keeps exactly. */
const mostDigits = 15;

export const decimalStorage: Storage<DecimalType> = {
  column: ({ places }) => ({ kind: "decimal", places }),
  checks: ({ min, max }) => bounds("range", min, max),
  value: Number,
};

/** Reads a constant number. */
export function numberConstant(text: string, type: NumberType): Constant {
  const trouble = numberTrouble(text, placesOf(type));
  if (trouble) return { why: "doesn't fit", help: trouble };
  const value = Number(text);
  const { min, max } = type;
  const fits =
    value >= (min ?? Number.NEGATIVE_INFINITY) && value <= (max ?? Number.POSITIVE_INFINITY);
  return fits ? { value } : { why: `lies outside the range ${min ?? ""}..${max ?? ""}` };
}

/** The digits after the point that values of a type can have; none for what is no decimal, and those of its seconds for a span. */
export function placesOf(type: FieldType): number {
  if (type.kind === "duration") return secondPlaces;
  return "places" in type ? type.places : 0;
}

/** Why a text isn't a number that the database keeps exactly; undefined when it is one. */
export function numberTrouble(text: string, places: number): string | undefined {
  if (!/^-?\d+(\.\d+)?$/.test(text)) return "a number was expected";
  const [whole = "", fraction = ""] = text.replace("-", "").split(".");
  if (fraction.length > places)
    return places === 0
      ? "a whole number was expected"
      : `at most ${places} digits after the point`;
  if ((whole + fraction).replace(/^0+/, "").length > mostDigits)
    return `at most ${mostDigits} digits in all`;
  return undefined;
}
