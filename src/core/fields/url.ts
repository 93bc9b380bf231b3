import { lineStorage, type TextType, textConstant } from "./texts.ts";
import { allUses, type TypeRule, typed } from "./type-rule.ts";

export const urlRule: TypeRule<TextType> = {
  holds: "A web address.",
  range: "length",
  options: typed,
  uses: allUses,
  value: "text",
  storage: lineStorage(2000),
  constant: textConstant(2000),
};
