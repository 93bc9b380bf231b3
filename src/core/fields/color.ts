import type { TypeOf } from "./field-type.ts";
import { allUses, chosen, type TypeRule } from "./type-rule.ts";

export const colorRule: TypeRule<TypeOf<"color">> = {
  holds: "A colour, as `#ffcc00`.",
  range: "none",
  options: chosen,
  uses: allUses,
  value: "text",
  storage: {
    column: () => ({ kind: "text", max: 7 }),
    checks: () => [],
    value: (text) => text,
  },
  constant: (text) =>
    /^#[0-9a-f]{6}$/i.test(text)
      ? { value: text.toLowerCase() }
      : { why: "is not a colour", help: 'write it in quotes, as "#ffcc00"' },
};
