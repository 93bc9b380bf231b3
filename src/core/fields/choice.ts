import { nearest } from "../../../kit/formula/nearest.ts";
import type { TypeOf } from "./field-type.ts";
import { allUses, chosen, type TypeRule } from "./type-rule.ts";

export const choiceRule: TypeRule<TypeOf<"choice">> = {
  holds: "One of a few texts: `choice active | weak | retired`.",
  range: "none",
  options: [...chosen, "as"],
  controls: ["radio", "select"],
  uses: allUses,
  value: "text",
  storage: {
    column: () => ({ kind: "text", max: longestChoice }),
    checks: ({ choices }) => [{ kind: "one of", values: choices }],
    value: (text) => text,
  },
  constant: (text, { choices }) => {
    if (choices.includes(text)) return { value: text };
    const close = nearest(text, choices);
    const help = close ? `did you mean \`${close}\`?` : `the choices are ${choices.join(", ")}`;
    return { why: "is not among the choices", help };
  },
};

/** The most characters of a choice. */
export const longestChoice = 100;
