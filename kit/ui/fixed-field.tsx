import { dependence, type FieldProps, Remarks } from "./field-frame.tsx";
import { fieldOf, inputName, labelOf, shownTyped } from "./form.ts";
import { shownValue } from "./value.tsx";

/** A field that the person sees in a form, and may not fill in. */
export function FixedField({ form, name }: FieldProps) {
  const { scope, record } = form;
  const value = record
    ? shownValue(scope, record, name, fieldOf(form, name))
    : shownTyped(form, name, form.values.get(name));
  return (
    <div
      class={form.row ? "in-row" : "mb-3"}
      id={`field-${inputName(form, name)}`}
      tabindex={-1}
      {...dependence(form, name)}
    >
      <div class="form-label">{labelOf(form, name)}</div>
      <div class="form-control-plaintext lines">{value || scope.messages.none}</div>
      <Remarks form={form} name={name} hint={scope.messages.readOnly} />
    </div>
  );
}
