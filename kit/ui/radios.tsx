import { type FieldProps, GroupFrame, invalidClass } from "./field-frame.tsx";
import { attributesOf, inputName, typedValue } from "./form.ts";

/** What can be chosen, and what it is called. */
export interface RadioChoice {
  value: string;
  label: string;
}

/** Buttons side by side to choose one of few with, the last of which chooses none where that may be. */
export function Radios({
  form,
  name,
  hint,
  choices,
  blank = form.scope.messages.none,
}: FieldProps & {
  choices: readonly RadioChoice[];
  /** What stands for no choice; undefined where there is always one. */
  blank?: string | null;
}) {
  const { required } = attributesOf(form, name);
  const depends = Object.hasOwn(form.state.needed, name);
  const none = blank === null || (required && !depends) ? [] : [{ value: "", label: blank }];
  const id = inputName(form, name);
  return (
    <GroupFrame form={form} name={name} hint={hint} attributes={{ id: `field-${id}` }}>
      <div class="radios">
        {[...choices, ...none].map(({ value, label }) => (
          <div class="form-check">
            <input
              class={`form-check-input${invalidClass(form, name)}`}
              type="radio"
              id={`field-${id}-${value}`}
              name={id}
              value={value}
              checked={typedValue(form, name) === value}
              required={required && !depends}
            />
            <label class="form-check-label" for={`field-${id}-${value}`}>
              {label}
            </label>
          </div>
        ))}
      </div>
    </GroupFrame>
  );
}
