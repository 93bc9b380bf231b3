import type { TypeOf } from "./field-type.ts";
import { referenceConstant, referenceStorage } from "./references.ts";
import { allUses, type TypeRule } from "./type-rule.ts";

export const partOfRule: TypeRule<TypeOf<"part of">> = {
  holds:
    "The record that this one belongs to: it lives on that one's page and is deleted with it. Always required.",
  range: "none",
  options: ["unique", "as", "fill"],
  controls: ["rows", "list"],
  unfit: {
    required: "it is always required: take `required` out",
    "required when": "it is always required: take `required when` out",
    "shown when": "a part always belongs to something: take `shown when` out",
  },
  uses: allUses,
  value: undefined,
  storage: referenceStorage,
  constant: referenceConstant,
};
