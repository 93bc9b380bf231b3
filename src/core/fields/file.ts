import type { TypeOf } from "./field-type.ts";
import type { TypeRule } from "./type-rule.ts";

export const fileRule: TypeRule<TypeOf<"file">> = {
  holds: "A file of any kind.",
  works: false,
  range: "none",
  options: ["required", "required when"],
  uses: [],
  value: undefined,
  storage: undefined,
  constant: undefined,
};
