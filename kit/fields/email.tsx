import * as z from "zod";
import { type Field, type FieldOptions, type FieldType, says } from "./field.ts";
import { type Lengths, lengthChecked, textField, textType } from "./text.ts";

/** An email address. */
export function email({ max = 254, ...options }: FieldOptions<string> & Lengths): Field<string> {
  const schema = () =>
    lengthChecked({ ...options, max }).refine(
      (typed) => z.email().safeParse(typed).success,
      says((messages) => messages.email),
    );
  return textField("email", { ...options, max }, { schema, attributes: { type: "email" } });
}

export const emailType: FieldType = {
  ...textType,
  leads: false,
  filter: "none",
  show: (value) => <EmailLink value={value as string | null} />,
};

/** An email address that opens a message. */
export function EmailLink({ value }: { value: string | null }) {
  return value === null ? null : <a href={`mailto:${encodeURIComponent(value)}`}>{value}</a>;
}
