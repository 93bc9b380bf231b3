import { type Field, type FieldOptions, type FieldType, readBy, says, typedText } from "./field.ts";

/** A time of the day, to the minute. */
export function time({ label, start }: FieldOptions<string>): Field<string> {
  const schema = () =>
    typedText().refine(
      (typed) => /^([01]\d|2[0-3]):[0-5]\d$/.test(typed),
      says(({ time }, { format }) => time(format.typed.time("09:30"))),
    );
  return {
    kind: "time",
    label,
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: ({ format }) => ({ required: true, placeholder: format.typed.time("09:30") }),
    read: readBy(
      { schema, before: (typed, { format }) => format.typed.readTime(typed.trim()) },
      timeType.blank,
    ),
    write: (value, { format }) => format.typed.time(value),
  };
}

export const timeType: FieldType = {
  numeric: false,
  textual: false,
  searched: false,
  sortable: true,
  leads: true,
  filter: "none",
  written: "time",
  blank: ({ chooseTime }) => chooseTime,
  show: (value) => value as string | null,
};
