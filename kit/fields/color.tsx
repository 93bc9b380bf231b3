import { type Field, type FieldOptions, type FieldType, readBy, says, typedText } from "./field.ts";
import { textType } from "./text.ts";

/** A colour, as `#ffcc00`. */
export function color({ label, start }: FieldOptions<string>): Field<string> {
  const schema = () =>
    typedText()
      .transform((typed) => typed.toLowerCase())
      .refine(
        (typed) => /^#[0-9a-f]{6}$/.test(typed),
        says((messages) => messages.color),
      );
  return {
    kind: "color",
    label,
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: () => ({ pattern: "#[0-9a-fA-F]{6}", "data-color": true, required: true }),
    read: readBy({ schema }, colorType.blank),
    write: (value) => value,
  };
}

export const colorType: FieldType = {
  ...textType,
  searched: false,
  leads: false,
  filter: "none",
  blank: ({ chooseColor }) => chooseColor,
  show: (value) => <ColorText value={value as string | null} />,
};

/** A colour, as a swatch beside its code. */
export function ColorText({ value }: { value: string | null }) {
  if (value === null) return null;
  return (
    <span class="color">
      <svg class="swatch" viewBox="0 0 1 1" preserveAspectRatio="none" aria-hidden="true">
        <rect width="1" height="1" fill={value} />
      </svg>
      {value}
    </span>
  );
}
