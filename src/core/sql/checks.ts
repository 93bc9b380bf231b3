import type { Check } from "../fields/storage.ts";
import type { Column } from "../schema/schema.ts";
import type { Syntax } from "./syntax.ts";

/** How a server that counts characters with `char_length` says the checks of the model. */
export function serverChecks(literal: Syntax["literal"]): Pick<Syntax, "check" | "checksOf"> {
  /** A check of the model's, on an expression. */
  const check = (wanted: Check, value: string): string => {
    if (wanted.kind === "one of") return `${value} in (${wanted.values.map(literal).join(", ")})`;
    const measured = wanted.kind === "length" ? `char_length(${value})` : value;
    return [
      wanted.min !== undefined && `${measured} >= ${literal(wanted.min)}`,
      wanted.max !== undefined && `${measured} <= ${literal(wanted.max)}`,
    ]
      .filter(Boolean)
      .join(" and ");
  };
  /** What an expression has to obey for a column to take it: its checks, and the length of its type. */
  const checksOf = (column: Column, value: string): string[] => {
    const checks = (column.checks ?? []).map((each) => check(each, value));
    return column.type.kind === "text"
      ? [`char_length(${value}) <= ${column.type.max}`, ...checks]
      : checks;
  };
  return { check, checksOf };
}
