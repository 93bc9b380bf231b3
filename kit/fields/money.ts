import { decimalField, decimalType, type NumberBounds } from "./decimal.ts";
import type { Field, FieldOptions, FieldType } from "./field.ts";

/** An amount in the currency of the application. */
export function money(
  options: FieldOptions<number> & Omit<NumberBounds, "unit"> & { places?: number },
): Field<number> {
  return decimalField("money", options);
}

export const moneyType: FieldType = {
  ...decimalType,
  unit: ({ format }) => format.currency,
  show: (value, _field, { format }) => format.money(value as number | null),
};
