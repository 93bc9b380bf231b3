import type { TypeOf } from "./field-type.ts";
import { decimalStorage, numberConstant } from "./numbers.ts";
import { allUses, type TypeRule, typed } from "./type-rule.ts";

export const decimalRule: TypeRule<TypeOf<"decimal">> = {
  holds: "A number with digits after the point: two, unless `places` says otherwise; 15 in all.",
  range: "decimal",
  options: [...typed, "unit", "places", "as"],
  controls: ["number", "slider"],
  uses: allUses,
  value: "number",
  storage: decimalStorage,
  constant: numberConstant,
};
