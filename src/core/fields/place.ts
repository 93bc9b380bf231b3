import { readPlace } from "../../../kit/formula/coordinates.ts";
import type { TypeOf } from "./field-type.ts";
import { type TypeRule, typed } from "./type-rule.ts";

export const placeRule: TypeRule<TypeOf<"place">> = {
  holds: "A place on the earth: latitude and longitude, as `41.3879, 2.1699`.",
  range: "none",
  options: typed,
  uses: ["column"],
  value: "text",
  storage: {
    column: () => ({ kind: "text", max: 24 }),
    checks: () => [],
    value: (text) => text,
  },
  constant: (text) => {
    const value = readPlace(text);
    return value === undefined
      ? { why: "is no place", help: 'write latitude and longitude in quotes, as "41.3879, 2.1699"' }
      : { value };
  },
};
