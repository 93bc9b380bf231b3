import { type Field, type FieldOptions, type FieldType, readBy, says, typedText } from "./field.ts";

/** How long texts are, in characters as a person counts them. */
export interface Lengths {
  min?: number;
  max?: number;
}

/** A line of text. */
export function text(options: FieldOptions<string> & Lengths): Field<string> {
  return textField("text", { max: 255, ...options });
}

/** A field of one kind of text, which `attributes` and `schema` say more of. */
export function textField(
  kind: Field["kind"],
  { label, start, min = 1, max }: FieldOptions<string> & Lengths & { max: number },
  more: {
    schema?: () => ReturnType<typeof lengthChecked>;
    attributes?: Record<string, string>;
  } = {},
): Field<string> {
  return {
    kind,
    label,
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: () => ({
      ...more.attributes,
      required: true,
      ...(min > 1 && { minlength: min }),
      maxlength: max,
    }),
    read: readBy({ schema: more.schema ?? (() => lengthChecked({ min, max })) }, textType.blank),
    write: (value) => value,
  };
}

/** A typed text of some length. A character may be written as several units; no more than that is looked at. */
export function lengthChecked({ min = 1, max }: Lengths & { max: number }) {
  return typedText(4 * max)
    .refine(
      (typed) => [...typed].length >= min,
      says(({ atLeastCharacters }) => atLeastCharacters(min)),
    )
    .refine(
      (typed) => [...typed].length <= max,
      says(({ atMostCharacters }) => atMostCharacters(max)),
    );
}

export const textType: FieldType = {
  numeric: false,
  textual: true,
  searched: true,
  sortable: true,
  leads: true,
  filter: "none",
  blank: ({ fillIn }) => fillIn,
  show: (value) => value as string | null,
};
