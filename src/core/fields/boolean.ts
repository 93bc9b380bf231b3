import type { TypeOf } from "./field-type.ts";
import type { TypeRule } from "./type-rule.ts";

export const booleanRule: TypeRule<TypeOf<"boolean">> = {
  holds: "Yes or no; no, unless `default yes`.",
  range: "none",
  options: ["required", "default", "as"],
  controls: ["checkbox", "switch", "radio"],
  unfit: {
    unique: "at most two records could have it",
    "required when": "a box is ticked or it isn't, and has a value in any case",
  },
  uses: ["column", "order", "group"],
  value: "boolean",
  storage: {
    column: () => ({ kind: "boolean" }),
    checks: () => [],
    value: (text) => text === "yes",
  },
  constant: (text) => {
    if (/^(yes|true)$/.test(text)) return { value: true };
    return /^(no|false)$/.test(text) ? { value: false } : { why: "is neither yes nor no" };
  },
};
