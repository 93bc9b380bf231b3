import type { TypeOf } from "./field-type.ts";
import { allUses, type TypeRule } from "./type-rule.ts";

export const userRule: TypeRule<TypeOf<"user">> = {
  holds: "A user of the application.",
  works: false,
  range: "none",
  options: ["required", "required when", "unique"],
  uses: allUses,
  value: undefined,
  storage: undefined,
  constant: undefined,
};
