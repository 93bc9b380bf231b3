import { type Label, labelIn } from "../entity/label.ts";
import type { FieldProps } from "../ui/field-frame.tsx";
import { fieldOf, typedValue } from "../ui/form.ts";
import { Radios } from "../ui/radios.tsx";
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
  const schema = () =>
    typedText(400).refine(
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
  const { language } = form.scope;
  const all = values.map((value) => ({ value, label: choiceLabel(field, value, language) }));
  if (as === "radio" || (as !== "select" && isFew)) return <Radios {...props} choices={all} />;
  return (
    <SelectFrame form={form} name={name} hint={hint}>
      {all.map(({ value, label }) => (
        <option value={value} selected={typedValue(form, name) === value}>
          {label}
        </option>
      ))}
    </SelectFrame>
  );
}
