import type { TypeOf } from "./field-type.ts";
import { bounds } from "./storage.ts";
import { allUses, type Constant, chosen, type TypeRule } from "./type-rule.ts";

export const dateRule: TypeRule<TypeOf<"date">> = {
  holds: "A day.",
  range: "date",
  options: chosen,
  uses: allUses,
  value: "date",
  storage: {
    column: () => ({ kind: "date" }),
    checks: ({ min, max }) => bounds("range", fixed(min), fixed(max)),
    value: (text) => text,
  },
  constant: dateConstant,
};

/** Whether a text is a day of the calendar, as `2026-05-03`. */
export function isDate(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false;
  const time = Date.parse(`${text}T00:00:00Z`);
  return !Number.isNaN(time) && new Date(time).toISOString().startsWith(text);
}

/** A bound that the database can check. */
function fixed(bound: string | undefined): string | undefined {
  return bound === "today" ? undefined : bound;
}

function dateConstant(text: string, { min, max }: TypeOf<"date">): Constant {
  if (text === "today") {
    const past = max !== undefined && max !== "today" && max < "1970";
    return past || (min !== undefined && min > "9000" && min !== "today")
      ? { why: "lies outside the range" }
      : { moment: "today" };
  }
  if (!isDate(text)) {
    return { why: "is not a date", help: "write today, or a date as 2026-05-03" };
  }
  const [least, most] = [fixed(min), fixed(max)];
  return (least && text < least) || (most && text > most)
    ? { why: `lies outside the range ${min ?? ""}..${max ?? ""}` }
    : { value: text };
}
