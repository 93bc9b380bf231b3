import { type Label, labelIn } from "../entity/label.ts";
import type { FieldProps } from "../ui/field-frame.tsx";
import { fieldOf, typedValue } from "../ui/form.ts";
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

export function ChoiceField({ form, name, hint }: FieldProps) {
  const field = fieldOf(form, name);
  return (
    <SelectFrame form={form} name={name} hint={hint}>
      {Object.keys(field.choices ?? {}).map((value) => (
        <option value={value} selected={typedValue(form, name) === value}>
          {choiceLabel(field, value, form.scope.language)}
        </option>
      ))}
    </SelectFrame>
  );
}
