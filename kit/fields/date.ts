import {
  type Field,
  type FieldOptions,
  type FieldScope,
  type FieldType,
  type Reading,
  readBy,
  says,
  typedText,
} from "./field.ts";

/** A bound is a date such as `2020-01-01`, or `today`. */
export interface DateBounds {
  min?: string;
  max?: string;
}

/** A day. */
export function date({ label, start, min, max }: FieldOptions<string> & DateBounds): Field<string> {
  const schema = () =>
    typedText().refine(
      isDate,
      says(({ date }, { format }) => date(format.typed.date("2026-05-03"))),
    );
  return {
    kind: "date",
    label,
    required: true,
    ...(start !== undefined && { start: ({ today }) => (start === "today" ? today : start) }),
    attributes: (scope) => ({
      inputmode: "numeric",
      required: true,
      "data-pick": "date",
      "data-pattern": patternOf(scope),
      placeholder: scope.format.typed.pattern(scope.messages.dateLetters),
      ...(min !== undefined && { "data-min": boundOf(min, scope) }),
      ...(max !== undefined && { "data-max": boundOf(max, scope) }),
    }),
    read: readBy(
      {
        schema,
        before: (typed, { format }) => format.typed.readDate(typed.trim()),
        after: (value: string, scope) => within(value, { min, max }, scope),
      },
      dateType.blank,
    ),
    write: (value, { format }) => format.typed.date(value),
  };
}

function boundOf(bound: string, { today }: FieldScope): string {
  return bound === "today" ? today : bound;
}

function within(
  value: string,
  { min, max }: { min: string | undefined; max: string | undefined },
  scope: FieldScope,
): Reading<string> {
  const { messages, format } = scope;
  if (min !== undefined && value < boundOf(min, scope)) {
    return {
      error: min === "today" ? messages.fromToday : messages.fromDate(format.typed.date(min)),
    };
  }
  if (max !== undefined && value > boundOf(max, scope)) {
    return { error: max === "today" ? messages.toToday : messages.toDate(format.typed.date(max)) };
  }
  return { value };
}

/** What a script has to know to write a date as it is typed. */
export function patternOf({ format }: FieldScope): string {
  return format.typed.pattern({ day: "dd", month: "mm", year: "yyyy" });
}

/** Whether a text is a day of the calendar, as `2026-05-03`. */
export function isDate(typed: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(typed) || typed < "0001") return false;
  const time = Date.parse(`${typed}T00:00:00Z`);
  return !Number.isNaN(time) && new Date(time).toISOString().startsWith(typed);
}

export const dateType: FieldType = {
  numeric: false,
  textual: false,
  searched: false,
  sortable: true,
  leads: true,
  filter: "days",
  blank: ({ chooseDate }) => chooseDate,
  show: (value, _field, { format }) => format.date(value as string | null),
};
