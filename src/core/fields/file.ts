import type { TypeOf } from "./field-type.ts";
import { fileOptions, filesStorage } from "./files.ts";
import type { TypeRule } from "./type-rule.ts";

export const fileRule: TypeRule<TypeOf<"file">> = {
  holds: "A file of any kind, or several: `file ..8`.",
  range: "files",
  options: fileOptions,
  uses: [],
  value: undefined,
  storage: filesStorage,
  constant: undefined,
};
