import type { TypeOf } from "./field-type.ts";
import type { TypeRule } from "./type-rule.ts";

export const manyRule: TypeRule<TypeOf<"many">> = {
  holds: "Any number of records of another entity: `many Keeper`.",
  range: "none",
  options: ["required", "required when"],
  uses: [],
  value: undefined,
  // They are in a table of links.
  storage: undefined,
  constant: undefined,
};
