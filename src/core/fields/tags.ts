import type { TypeOf } from "./field-type.ts";
import type { TypeRule } from "./type-rule.ts";

export const tagsRule: TypeRule<TypeOf<"tags">> = {
  holds: "Any number of short words.",
  works: false,
  range: "none",
  options: ["required", "required when"],
  uses: [],
  value: undefined,
  storage: undefined,
  constant: undefined,
};
