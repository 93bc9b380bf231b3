import type { FieldType } from "./field-type.ts";
import { bounds, type Storage } from "./storage.ts";
import type { Constant } from "./type-rule.ts";

/** The type of a text with bounds of its length. */
export type TextType = Extract<
  FieldType,
  { kind: "text" | "long text" | "email" | "url" | "phone" }
>;

/** The storage of texts in a line, which have so many characters at most unless their range says otherwise. */
export function lineStorage(longest: number): Storage<TextType> {
  return {
    column: ({ max = longest }) => ({ kind: "text", max: Math.max(max, 1) }),
    checks: ({ min, max }) => bounds("length", min, max),
    value: (text) => text,
  };
}

/** The reading of a constant text. */
export function textConstant(longest: number) {
  return (text: string, { min = 0, max = longest }: TextType): Constant => {
    if (text.includes("\n-- ")) return { why: "has a line that begins with `-- `" };
    const length = [...text].length;
    if (length >= min && length <= max) return { value: text };
    const range = `${min || ""}..${max === Number.POSITIVE_INFINITY ? "" : max}`;
    return { why: `has ${length} characters, outside the range ${range}` };
  };
}
