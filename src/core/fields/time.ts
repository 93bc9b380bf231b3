import type { TypeOf } from "./field-type.ts";
import { allUses, chosen, type TypeRule } from "./type-rule.ts";

export const timeRule: TypeRule<TypeOf<"time">> = {
  holds: "A time of the day, to the minute.",
  range: "none",
  options: chosen,
  uses: allUses,
  value: "time",
  storage: {
    column: () => ({ kind: "time" }),
    checks: () => [],
    value: (text) => text,
  },
  constant: (text) =>
    /^([01]\d|2[0-3]):[0-5]\d$/.test(text)
      ? { value: text }
      : { why: "is not a time", help: "write it as 09:30" },
};
