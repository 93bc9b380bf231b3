import type { TypeOf } from "./field-type.ts";
import { oneRule } from "./one.ts";
import type { TypeRule } from "./type-rule.ts";

/** A reference to the entity that the model names as `record`: reading the model turns it into one. */
export const userRule: TypeRule<TypeOf<"user">> = {
  ...oneRule,
  holds: "Someone who can sign in: a record of the entity that `users` names as `record`.",
  storage: undefined,
  constant: undefined,
};
