import type { Scope } from "../../access/scope.ts";
import { labelIn } from "../../entity/label.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { isSpan } from "../../store/list/spans.ts";

/** A value of a filter as people read it; `title` is that of a record. */
export function filterValue(
  scope: Scope,
  field: Field,
  value: string,
  title: string | undefined,
): string {
  const { messages, format } = scope;
  if (title !== undefined) return title;
  if (field.choices) return labelIn(field.choices[value] ?? value, scope.language);
  if (field.kind === "boolean") return format.boolean(value === "yes");
  if (field.kind === "tags") return value;
  if (isSpan(value)) return messages.spans[value];
  if (value === "me") return messages.me;
  const { filter } = typeOf(field);
  if (filter === "days" || filter === "moments") return format.date(value);
  if (field.kind === "money") return format.money(Number(value));
  return format.number(Number(value), field.unit && labelIn(field.unit, scope.language));
}
