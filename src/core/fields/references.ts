import type { TypeOf } from "./field-type.ts";
import type { Storage } from "./storage.ts";
import type { Constant } from "./type-rule.ts";

/** A reference holds the number of a record; data files have its key instead. */
export const referenceStorage: Storage<TypeOf<"one" | "part of">> = {
  column: () => ({ kind: "integer" }),
  checks: () => [],
  value: (text) => text,
};

/** The key of the record that is referred to. */
export function referenceConstant(text: string): Constant {
  return { value: text };
}
