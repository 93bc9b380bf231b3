import * as z from "zod";
import {
  bounded,
  decimalType,
  largest,
  mostOf,
  type NumberBounds,
  numberAttributes,
} from "./decimal.ts";
import { type Field, type FieldOptions, type FieldType, readBy, says, typedText } from "./field.ts";

/** A whole number. */
export function integer({
  label,
  start,
  unit,
  min = -largest,
  max = largest,
}: FieldOptions<number> & NumberBounds): Field<number> {
  const schema = () =>
    typedText()
      .refine(
        (typed) => /^[+-]?\d{1,16}$/.test(typed),
        says(({ wholeNumber }) => wholeNumber),
      )
      .transform(Number)
      .pipe(bounded(z.number(), { min, max }));
  return {
    kind: "integer",
    label,
    ...(unit !== undefined && { unit }),
    ...mostOf({ min, max }),
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: () => numberAttributes({ min, max, places: 0 }),
    read: readBy({ schema }, integerType.blank),
    write: String,
  };
}

export const integerType: FieldType = decimalType;
