import {
  dependence,
  type FieldProps,
  inputAttributes,
  invalidClass,
  Remarks,
} from "../ui/field-frame.tsx";
import { inputName, labelOf, typedValue } from "../ui/form.ts";
import { Radios } from "../ui/radios.tsx";
import type { Field, FieldOptions, FieldType } from "./field.ts";

/** A box to tick. */
export function boolean({ label, start }: FieldOptions<boolean>): Field<boolean> {
  return {
    kind: "boolean",
    label,
    required: false,
    ...(start !== undefined && { start: () => start }),
    attributes: () => ({}),
    read: ([typed]) => ({ value: typed !== undefined && typed !== "" && typed !== "no" }),
    write: (value) => (value ? "yes" : ""),
  };
}

export const booleanType: FieldType = {
  numeric: false,
  textual: false,
  searched: false,
  sortable: true,
  leads: false,
  filter: "choices",
  written: "boolean",
  blank: ({ fillIn }) => fillIn,
  show: (value, _field, { format }) => format.boolean(value as boolean),
};

/** A box to tick, a switch, or two buttons; `as` says which of them. */
export function CheckboxField({
  as,
  ...props
}: FieldProps & { as?: "checkbox" | "switch" | "radio" }) {
  const { form, name, hint } = props;
  const { yes, no } = form.scope.messages;
  if (as === "radio")
    return <Radios {...props} choices={[{ value: "yes", label: yes }]} blank={no} />;
  const isSwitch = as === "switch";
  const classes = `${form.row ? "in-row" : "mb-3"} form-check${isSwitch ? " form-switch" : ""}`;
  return (
    <div class={classes} {...dependence(form, name)}>
      <input
        {...inputAttributes(form, name, hint)}
        {...(isSwitch && { role: "switch" })}
        type="checkbox"
        value="yes"
        class={`form-check-input${invalidClass(form, name)}`}
        checked={typedValue(form, name) === "yes"}
      />
      <label class="form-check-label" for={`field-${inputName(form, name)}`}>
        {labelOf(form, name)}
      </label>
      <Remarks form={form} name={name} hint={hint} />
    </div>
  );
}
