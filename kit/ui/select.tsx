import type { Child } from "hono/jsx";
import { FieldFrame, type FieldProps, inputAttributes, invalidClass } from "./field-frame.tsx";
import { attributesOf } from "./form.ts";

/** A list to choose one entry from, the first of which chooses none. */
export function SelectFrame({ form, name, hint, children }: FieldProps & { children?: Child }) {
  const { messages } = form.scope;
  return (
    <FieldFrame form={form} name={name} hint={hint}>
      <select
        {...inputAttributes(form, name, hint)}
        class={`form-select${invalidClass(form, name)}`}
      >
        <option value="">
          {attributesOf(form, name).required ? messages.choose : messages.none}
        </option>
        {children}
      </select>
    </FieldFrame>
  );
}
