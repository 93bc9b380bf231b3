import { atSecond, toLocal, toUtc } from "../formula/zones.ts";
import { isDate, patternOf } from "./date.ts";
import {
  type Field,
  type FieldOptions,
  type FieldType,
  type Reading,
  readBy,
  says,
  typedText,
} from "./field.ts";

/** A moment: typed by the clock on the wall, or in UTC as it is kept: `2026-05-03T07:30:00Z`. */
export function datetime({ label, start }: FieldOptions<string>): Field<string> {
  const schema = () =>
    typedText().refine(
      (typed) =>
        /^.{10}[T ]([01]\d|2[0-3]):[0-5]\d(:[0-5]\d)?Z?$/.test(typed) && isDate(typed.slice(0, 10)),
      says(({ dateTime }, { format }) => dateTime(format.typed.dateTime("2026-05-03T09:30"))),
    );
  return {
    kind: "datetime",
    label,
    required: true,
    ...(start !== undefined && { start: ({ now }) => (start === "now" ? now : start) }),
    attributes: (scope) => ({
      required: true,
      "data-pick": "datetime-local",
      "data-pattern": patternOf(scope),
      placeholder: `${scope.format.typed.pattern(scope.messages.dateLetters)} ${scope.format.typed.time("09:30")}`,
    }),
    read: readBy(
      {
        schema,
        before: (typed, { format }) =>
          isUtc(typed) ? typed.trim() : format.typed.readDateTime(typed.trim()),
        after: (typed: string, { timezone, messages }): Reading<string> => {
          const moment = isUtc(typed)
            ? atSecond(Date.parse(typed))
            : toUtc(timezone, typed.replace(" ", "T"));
          return moment > "0001-01-02" && moment < "9999-12-30"
            ? { value: moment }
            : { error: messages.momentRange };
        },
      },
      datetimeType.blank,
    ),
    write: (value, { timezone, format }) => format.typed.dateTime(toLocal(timezone, value)),
  };
}

function isUtc(typed: string): boolean {
  return /^\d{4}-.*T.*Z\s*$/.test(typed);
}

export const datetimeType: FieldType = {
  numeric: false,
  textual: false,
  searched: false,
  sortable: true,
  leads: true,
  filter: "moments",
  written: "datetime",
  blank: ({ chooseDateTime }) => chooseDateTime,
  show: (value, _field, { format }) => format.dateTime(value as string | null),
};
