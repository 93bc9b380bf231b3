import type { TypeOf } from "./field-type.ts";
import { decimalStorage, numberConstant } from "./numbers.ts";
import { allUses, type TypeRule, typed } from "./type-rule.ts";

export const moneyRule: TypeRule<TypeOf<"money">> = {
  holds: "An amount in the currency of the application.",
  range: "decimal",
  options: [...typed, "places"],
  uses: allUses,
  value: "number",
  storage: decimalStorage,
  constant: numberConstant,
};
