import { lineStorage, type TextType, textConstant } from "./texts.ts";
import type { TypeRule } from "./type-rule.ts";

export const longTextRule: TypeRule<TextType> = {
  holds: "Text of several lines.",
  range: "length",
  options: ["required", "required when", "placeholder", "default", "fill"],
  uses: [],
  value: "text",
  storage: { ...lineStorage(Number.POSITIVE_INFINITY), column: () => ({ kind: "long text" }) },
  constant: textConstant(Number.POSITIVE_INFINITY),
};
