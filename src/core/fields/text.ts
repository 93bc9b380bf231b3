import { lineStorage, type TextType, textConstant } from "./texts.ts";
import { allUses, type TypeRule, typed } from "./type-rule.ts";

export const textRule: TypeRule<TextType> = {
  holds: "A line of text, 255 characters unless a range says otherwise.",
  range: "length",
  options: typed,
  uses: allUses,
  value: "text",
  storage: lineStorage(255),
  constant: textConstant(255),
};
