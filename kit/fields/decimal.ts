import * as z from "zod";
import { type Label, labelIn } from "../entity/label.ts";
import { type Field, type FieldOptions, type FieldType, readBy, says, typedText } from "./field.ts";

/** What numbers lie between, and what they count. */
export interface NumberBounds {
  min?: number;
  max?: number;
  unit?: Label;
}

export const largest = 9_007_199_254_740_991;

/** A number with at most `places` digits after the point, and 15 in all. */
export function decimal(
  options: FieldOptions<number> & NumberBounds & { places?: number },
): Field<number> {
  return decimalField("decimal", options);
}

/** A field of one kind of decimal numbers. */
export function decimalField(
  kind: Field["kind"],
  {
    label,
    start,
    unit,
    min = -largest,
    max = largest,
    places = 2,
  }: FieldOptions<number> & NumberBounds & { places?: number },
): Field<number> {
  const schema = () =>
    typedText()
      .refine(
        (typed) => /^[+-]?(\d+\.?\d*|\.\d+)$/.test(typed),
        says(({ number }) => number),
      )
      .refine(
        (typed) => (typed.split(".")[1] ?? "").replace(/0+$/, "").length <= places,
        says(({ wholeNumber, atMostPlaces }) =>
          places === 0 ? wholeNumber : atMostPlaces(places),
        ),
      )
      .refine(
        (typed) => typed.replace(/\D/g, "").replace(/^0+/, "").length <= 15,
        says(({ atMostDigits }) => atMostDigits),
      )
      .transform(Number)
      .pipe(bounded(z.number(), { min, max }));
  return {
    kind,
    label,
    ...(unit !== undefined && { unit }),
    places,
    ...mostOf({ min, max }),
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: () => numberAttributes({ min, max, places }),
    read: readBy({ schema }, decimalType.blank),
    write: String,
  };
}

/** Numbers between two others; -0 is 0. */
export function bounded(
  number: z.ZodNumber,
  { min, max }: Required<Pick<NumberBounds, "min" | "max">>,
) {
  return number
    .refine(
      (value) => value >= min,
      says(({ atLeast }) => atLeast(min)),
    )
    .refine(
      (value) => value <= max,
      says(({ atMost }) => atMost(max)),
    )
    .transform((value) => value + 0);
}

/** What a number between two others is smaller than, whatever its sign. */
export function mostOf({ min, max }: Required<Pick<NumberBounds, "min" | "max">>) {
  const isBounded = min > -largest && max < largest;
  return isBounded ? { most: Math.max(Math.abs(min), Math.abs(max)) + 1 } : {};
}

export function numberAttributes({
  min,
  max,
  places,
}: Required<Pick<NumberBounds, "min" | "max">> & { places: number }) {
  return {
    type: "number",
    required: true,
    step: places === 0 ? 1 : `0.${"0".repeat(places - 1)}1`,
    inputmode: places === 0 ? "numeric" : "decimal",
    ...(min > -largest && { min }),
    ...(max < largest && { max }),
  };
}

export const decimalType: FieldType = {
  numeric: true,
  textual: false,
  searched: false,
  sortable: true,
  leads: true,
  filter: "numbers",
  written: "number",
  blank: ({ fillIn }) => fillIn,
  show: (value, { unit = "" }, { format }) =>
    format.number(value as number | null, labelIn(unit, format.language)),
};
