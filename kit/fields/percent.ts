import { decimalField, decimalType, type NumberBounds } from "./decimal.ts";
import type { Field, FieldOptions, FieldType } from "./field.ts";

/** A percentage: 12.5 is 12.5 %. */
export function percent(
  options: FieldOptions<number> & Omit<NumberBounds, "unit"> & { places?: number },
): Field<number> {
  return decimalField("percent", options);
}

export const percentType: FieldType = {
  ...decimalType,
  unit: () => "%",
  show: (value, _field, { format }) => format.number(value as number | null, "%"),
};
