import type { TypeOf } from "./field-type.ts";
import type { TypeRule } from "./type-rule.ts";

export const imageRule: TypeRule<TypeOf<"image">> = {
  holds: "A picture.",
  works: false,
  range: "none",
  options: ["required", "required when"],
  uses: [],
  value: undefined,
  storage: undefined,
  constant: undefined,
};
