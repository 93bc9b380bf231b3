import type { FieldProps } from "../ui/field-frame.tsx";
import { typedValue } from "../ui/form.ts";
import { SelectFrame } from "../ui/select.tsx";
import { type Field, type FieldOptions, type FieldType, readBy, says, typedText } from "./field.ts";
import { textType } from "./text.ts";

/** One of a few: the values, with their labels. */
export function choice<const Choices extends Readonly<Record<string, string>>>({
  label,
  start,
  choices,
}: FieldOptions<keyof Choices & string> & { choices: Choices }): Field<keyof Choices & string> {
  const schema = typedText(400).refine(
    (typed) => Object.hasOwn(choices, typed),
    says(({ chooseOffered }) => chooseOffered),
  );
  return {
    kind: "choice",
    label,
    choices,
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: () => ({ required: true }),
    read: readBy({ schema }, ({ chooseOne }) => chooseOne),
    write: (value) => value,
  };
}

export const choiceType: FieldType = {
  ...textType,
  show: (value, { choices }) => <ChoiceText value={value as string | null} choices={choices} />,
};

/** A choice, as its label. */
export function ChoiceText({
  value,
  choices = {},
}: {
  value: string | null;
  choices?: Readonly<Record<string, string>> | undefined;
}) {
  if (value === null) return null;
  return <span class="choice">{Object.hasOwn(choices, value) ? choices[value] : value}</span>;
}

export function ChoiceField({ form, name, hint }: FieldProps) {
  const choices = Object.entries(form.entity.fields[name]?.choices ?? {});
  return (
    <SelectFrame form={form} name={name} hint={hint}>
      {choices.map(([value, label]) => (
        <option value={value} selected={typedValue(form, name) === value}>
          {label}
        </option>
      ))}
    </SelectFrame>
  );
}
