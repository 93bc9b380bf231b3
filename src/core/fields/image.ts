import type { TypeOf } from "./field-type.ts";
import { fileOptions, filesStorage } from "./files.ts";
import type { TypeRule } from "./type-rule.ts";

export const imageRule: TypeRule<TypeOf<"image">> = {
  holds: "A picture, or several: `image ..8`.",
  range: "files",
  options: fileOptions,
  uses: [],
  value: undefined,
  storage: filesStorage,
  constant: undefined,
};
