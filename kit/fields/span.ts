import { decimalField, decimalType } from "./decimal.ts";
import type { Field, FieldOptions, FieldType } from "./field.ts";

/** A number of days between two others; formulas give it. */
export function span(options: FieldOptions<number>): Field<number> {
  return decimalField("span", options);
}

export const spanType: FieldType = {
  ...decimalType,
  unit: ({ messages }) => messages.days,
  show: (value, _field, { format, messages }) =>
    format.number(value as number | null, messages.days),
};
