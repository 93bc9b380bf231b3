import { type Field, type FieldOptions, type FieldType, says } from "./field.ts";
import { type Lengths, lengthChecked, textField, textType } from "./text.ts";

/** Digits as people group them, and perhaps an extension. */
export const phonePattern = /^[+(\d][\d\s()./-]*\d(\s*([xX]|[eE][xX][tT]\.?)\s*\d+)?$/;

/** A telephone number, as people write it. */
export function phone({ max = 40, ...options }: FieldOptions<string> & Lengths): Field<string> {
  const schema = () =>
    lengthChecked({ ...options, max }).refine(
      (typed) => phonePattern.test(typed),
      says((messages) => messages.phone),
    );
  return textField("phone", { ...options, max }, { schema, attributes: { type: "tel" } });
}

export const phoneType: FieldType = {
  ...textType,
  leads: false,
  filter: "none",
  show: (value) => <PhoneLink value={value as string | null} />,
};

/** A telephone number that can be called. */
export function PhoneLink({ value }: { value: string | null }) {
  return value === null ? null : <a href={`tel:${value.replace(/[^+\d]/g, "")}`}>{value}</a>;
}
