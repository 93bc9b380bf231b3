import { unitOf } from "../fields/types.ts";
import { FieldFrame, type FieldProps, inputAttributes, invalidClass } from "./field-frame.tsx";
import { fieldOf, typedValue } from "./form.ts";

/** A line of text, a number, a date, or whatever else one `<input>` takes: its attributes follow from the field. */
export function InputField({ form, name, hint, placeholder }: FieldProps) {
  // In rows, it stands with the label.
  const unit = form.row ? undefined : unitOf(form.scope, fieldOf(form, name));
  const input = (
    <input
      {...inputAttributes(form, name, hint)}
      class={`form-control${invalidClass(form, name)}`}
      value={typedValue(form, name)}
      {...(placeholder !== undefined && { placeholder })}
      autocomplete="off"
    />
  );
  return (
    <FieldFrame form={form} name={name} hint={hint}>
      {unit ? (
        <div class="input-group">
          {input}
          <span class="input-group-text">{unit}</span>
        </div>
      ) : (
        input
      )}
    </FieldFrame>
  );
}
