import type { TypeOf } from "./field-type.ts";
import { numberConstant } from "./numbers.ts";
import { bounds } from "./storage.ts";
import { allUses, type TypeRule, typed } from "./type-rule.ts";

export const integerRule: TypeRule<TypeOf<"integer">> = {
  holds: "A whole number.",
  range: "integer",
  options: [...typed, "unit", "as"],
  controls: ["number", "slider"],
  unfit: { places: "use `decimal`" },
  uses: allUses,
  value: "number",
  storage: {
    column: () => ({ kind: "integer" }),
    checks: ({ min, max }) => bounds("range", min, max),
    value: Number,
  },
  constant: numberConstant,
};
