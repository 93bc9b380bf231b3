import type { TypeOf } from "./field-type.ts";
import type { TypeRule } from "./type-rule.ts";

export const formulaRule: TypeRule<TypeOf<"formula">> = {
  holds: 'A computed value: `"= weight * price"`.',
  range: "none",
  options: ["unit", "places"],
  uses: ["column", "order"],
  // Each formula has a type of its own.
  value: undefined,
  storage: undefined,
  constant: undefined,
};
