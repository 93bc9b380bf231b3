import type { TypeOf } from "./field-type.ts";
import { referenceConstant, referenceStorage } from "./references.ts";
import { allUses, type TypeRule } from "./type-rule.ts";

export const oneRule: TypeRule<TypeOf<"one">> = {
  holds:
    "A record of another entity: `one Apiary`. With `unique`, no two records have the same one.",
  range: "none",
  options: ["required", "required when", "offered when", "unique", "default", "fill", "as"],
  controls: ["select", "radio", "search"],
  uses: allUses,
  value: undefined,
  storage: referenceStorage,
  constant: referenceConstant,
};
