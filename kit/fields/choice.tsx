import { type Label, labelIn } from "../entity/label.ts";
import { type FieldProps, GroupFrame, invalidClass } from "../ui/field-frame.tsx";
import { attributesOf, fieldOf, inputName, typedValue } from "../ui/form.ts";
import { SelectFrame } from "../ui/select.tsx";
import {
  type Color,
  type Field,
  type FieldOptions,
  type FieldType,
  readBy,
  says,
  typedText,
} from "./field.ts";
import { textType } from "./text.ts";

/** One of a few: the values, with their labels. */
export function choice<const Choices extends Readonly<Record<string, Label>>>({
  label,
  start,
  choices,
  colors,
}: FieldOptions<keyof Choices & string> & {
  choices: Choices;
  colors?: Readonly<Partial<Record<keyof Choices & string, Color>>>;
}): Field<keyof Choices & string> {
  const schema = typedText(400).refine(
    (typed) => Object.hasOwn(choices, typed),
    says(({ chooseOffered }) => chooseOffered),
  );
  return {
    kind: "choice",
    label,
    choices,
    ...(colors && { colors: colors as Readonly<Record<string, Color>> }),
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: () => ({ required: true }),
    read: readBy({ schema }, choiceType.blank),
    write: (value) => value,
  };
}

export const choiceType: FieldType = {
  ...textType,
  filter: "choices",
  blank: ({ chooseOne }) => chooseOne,
  show: (value, field, { format }) =>
    value === null ? null : (
      <span class="choice" data-color={colorOf(field, value as string)}>
        {choiceLabel(field, value as string, format.language)}
      </span>
    ),
};

/** The label of a choice in a language; the value itself where it is none any more. */
export function choiceLabel({ choices = {} }: Field, value: string, language: string): string {
  const label = Object.hasOwn(choices, value) ? choices[value] : undefined;
  return label === undefined ? value : labelIn(label, language);
}

/** The colour of a choice; undefined where it has none. */
export function colorOf({ colors = {} }: Field, value: string): Color | undefined {
  return Object.hasOwn(colors, value) ? colors[value] : undefined;
}

/** The most choices that are shown side by side, unless the form says otherwise. */
const mostRadios = 3;

/** A select, or radio buttons for few choices; `as` says which of the two. */
export function ChoiceField({ as, ...props }: FieldProps & { as?: "radio" | "select" }) {
  const { form, name, hint } = props;
  const field = fieldOf(form, name);
  const values = Object.keys(field.choices ?? {});
  const isFew = values.length <= mostRadios && !form.row;
  if (as === "radio" || (as !== "select" && isFew)) return <Radios {...props} values={values} />;
  return (
    <SelectFrame form={form} name={name} hint={hint}>
      {values.map((value) => (
        <option value={value} selected={typedValue(form, name) === value}>
          {choiceLabel(field, value, form.scope.language)}
        </option>
      ))}
    </SelectFrame>
  );
}

function Radios({ form, name, hint, values }: FieldProps & { values: readonly string[] }) {
  const field = fieldOf(form, name);
  const { messages, language } = form.scope;
  const { required } = attributesOf(form, name);
  const depends = Object.hasOwn(form.state.needed, name);
  const none = required && !depends ? [] : [{ value: "", label: messages.none }];
  const id = inputName(form, name);
  const all = values.map((value) => ({ value, label: choiceLabel(field, value, language) }));
  return (
    <GroupFrame form={form} name={name} hint={hint} attributes={{ id: `field-${id}` }}>
      <div class="radios">
        {[...all, ...none].map(({ value, label }) => (
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
