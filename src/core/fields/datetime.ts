import { toUtc } from "../../../kit/formula/zones.ts";
import { isDate } from "./date.ts";
import type { TypeOf } from "./field-type.ts";
import { allUses, type Constant, chosen, type TypeRule } from "./type-rule.ts";

export const datetimeRule: TypeRule<TypeOf<"datetime">> = {
  holds: "A moment: kept in UTC, shown in the time zone of the application.",
  range: "none",
  options: chosen,
  uses: allUses,
  value: "moment",
  storage: {
    column: () => ({ kind: "datetime" }),
    checks: () => [],
    value: (text, timezone) =>
      text.endsWith("Z") ? text.replace(/(T\d\d:\d\d)Z$/, "$1:00Z") : toUtc(timezone, text),
  },
  constant: momentConstant,
};

function momentConstant(text: string): Constant {
  if (text === "now") return { moment: "now" };
  const written = /^\d{4}-\d{2}-\d{2}T([01]\d|2[0-3]):[0-5]\d(:[0-5]\d)?Z$/.test(text);
  return written && isDate(text.slice(0, 10))
    ? { value: text }
    : { why: "is not a moment", help: "write now, or a moment in UTC as 2026-05-03T09:30Z" };
}
