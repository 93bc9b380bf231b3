import { lineStorage, type TextType, textConstant } from "./texts.ts";
import { allUses, type TypeRule, typed } from "./type-rule.ts";

export const phoneRule: TypeRule<TextType> = {
  holds: "A telephone number, as people write it.",
  range: "length",
  options: typed,
  uses: allUses,
  value: "text",
  storage: lineStorage(40),
  constant: textConstant(40),
};
