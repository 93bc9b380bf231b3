import type { TypeOf } from "./field-type.ts";
import { decimalStorage, numberConstant } from "./numbers.ts";
import { allUses, type TypeRule, typed } from "./type-rule.ts";

export const percentRule: TypeRule<TypeOf<"percent">> = {
  holds: "A percentage: `12.5` is 12.5 %.",
  range: "decimal",
  options: [...typed, "places", "as"],
  controls: ["number", "slider"],
  uses: allUses,
  value: "number",
  storage: decimalStorage,
  constant: numberConstant,
};
