import { lineStorage, type TextType, textConstant } from "./texts.ts";
import { allUses, type TypeRule, typed } from "./type-rule.ts";

export const emailRule: TypeRule<TextType> = {
  holds: "An email address.",
  range: "length",
  options: typed,
  uses: allUses,
  value: "text",
  storage: lineStorage(254),
  constant: textConstant(254),
};
