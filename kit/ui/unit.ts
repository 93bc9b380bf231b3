import { typeOf } from "../fields/types.ts";
import { type Form, fieldOf } from "./form.ts";

/** What a number in a field counts, in the language of the person; undefined for others. */
export function unitOf(form: Pick<Form, "entity" | "scope">, name: string): string | undefined {
  const field = fieldOf(form, name);
  return field.unit ? form.scope.translated(field.unit) : typeOf(field).unit?.(form.scope);
}
