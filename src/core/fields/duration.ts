import { durationText, secondPlaces, secondsOf } from "../../../kit/formula/durations.ts";
import type { TypeOf } from "./field-type.ts";
import { type TypeRule, typed } from "./type-rule.ts";

export const durationRule: TypeRule<TypeOf<"duration">> = {
  holds: "A span of time, to the thousandth of a second.",
  range: "none",
  options: typed,
  uses: ["column", "order", "index", "group"],
  value: "duration",
  storage: {
    column: () => ({ kind: "decimal", places: secondPlaces }),
    checks: () => [],
    value: (text) => secondsOf(text) ?? 0,
  },
  constant: (text) => {
    const value = secondsOf(text);
    return value === undefined
      ? { why: "is not a span of time", help: `write it as ${durationText(5400)}` }
      : { value };
  },
};
