import type { TypeOf } from "./field-type.ts";
import type { TypeRule } from "./type-rule.ts";

/** The most characters of all tags of a record, the commas between them included. */
const longest = 1000;

export const tagsRule: TypeRule<TypeOf<"tags">> = {
  holds: "Any number of short words.",
  range: "none",
  options: ["required", "required when", "placeholder"],
  uses: ["column"],
  value: "text",
  storage: {
    column: () => ({ kind: "text", max: longest }),
    checks: () => [],
    value: (text) => text,
  },
  constant: undefined,
};
