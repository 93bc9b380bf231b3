import { FieldFrame, type FieldProps, inputAttributes, invalidClass } from "../ui/field-frame.tsx";
import { typedValue } from "../ui/form.ts";
import type { Field, FieldOptions, FieldType } from "./field.ts";
import { type Lengths, textField, textType } from "./text.ts";

/** The most characters of a long text that has no range. */
export const longestText = 200_000;

/** Text of several lines. */
export function longText(options: FieldOptions<string> & Lengths): Field<string> {
  return textField("long text", { max: longestText, ...options });
}

export const longTextType: FieldType = {
  numeric: false,
  textual: true,
  searched: true,
  sortable: false,
  leads: false,
  filter: "none",
  blank: textType.blank,
  show: (value) => value as string | null,
};

export function LongTextField({ form, name, hint, placeholder }: FieldProps) {
  return (
    <FieldFrame form={form} name={name} hint={hint}>
      <textarea
        {...inputAttributes(form, name, hint)}
        class={`form-control${invalidClass(form, name)}`}
        rows={4}
        {...(placeholder !== undefined && { placeholder })}
      >
        {`\n${typedValue(form, name)}`}
      </textarea>
    </FieldFrame>
  );
}
