import { durationText, secondsOf } from "../formula/durations.ts";
import { type Field, type FieldOptions, type FieldType, readBy, says, typedText } from "./field.ts";

const example = "2:30";

/** A span of time in seconds, typed with hours first: `2:30`, `0:01:20.4`. */
export function duration({ label, start }: FieldOptions<number>): Field<number> {
  const schema = () =>
    typedText()
      .refine(
        (typed) => secondsOf(typed) !== undefined,
        says(({ duration }) => duration(example)),
      )
      .transform((typed) => secondsOf(typed));
  return {
    kind: "duration",
    label,
    required: true,
    ...(start !== undefined && { start: () => start }),
    attributes: () => ({ required: true, placeholder: example }),
    read: readBy({ schema }, durationType.blank),
    write: durationText,
  };
}

export const durationType: FieldType = {
  numeric: true,
  textual: false,
  searched: false,
  sortable: true,
  leads: true,
  filter: "none",
  blank: ({ fillIn }) => fillIn,
  show: (value) => (value === null ? null : durationText(value as number)),
};
