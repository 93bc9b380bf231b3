import { FieldFrame, type FieldProps, inputAttributes } from "../ui/field-frame.tsx";
import { attributesOf, fieldOf, typedValue } from "../ui/form.ts";
import { InputField } from "../ui/input-field.tsx";
import { unitOf } from "./types.ts";

/** A number that is typed, or set by sliding between its least and its largest. */
export function NumberField({ as, ...props }: FieldProps & { as?: "number" | "slider" }) {
  return as === "slider" && !props.form.row ? <Slider {...props} /> : <InputField {...props} />;
}

/** A slider has a value from the start: the least, where nothing is said. */
function Slider({ form, name, hint }: FieldProps) {
  const attributes = inputAttributes(form, name, hint);
  const { min, max } = attributesOf(form, name);
  const value = typedValue(form, name) || String(min);
  const unit = unitOf(form.scope, fieldOf(form, name));
  return (
    <FieldFrame form={form} name={name} hint={hint}>
      <div class="slider">
        <span class="soft">{min}</span>
        <input {...attributes} type="range" class="form-range" value={value} data-slider />
        <span class="soft">{max}</span>
        <output for={attributes.id}>
          <span>{value}</span>
          {unit && ` ${unit}`}
        </output>
      </div>
    </FieldFrame>
  );
}
