import type { Child } from "hono/jsx";
import type { Scope } from "../access/scope.ts";
import { type Entity, isReference, type Row } from "../entity/entity.ts";
import { labelIn } from "../entity/label.ts";
import { address } from "../entity/links.ts";
import type { Field } from "../fields/field.ts";
import { isFiles } from "../fields/files.tsx";
import { typeOf } from "../fields/types.ts";

/** The value of a record's field as pages show it; of what every record has, where it is no field. */
export function shownValue(scope: Scope, row: Row, name: string, field: Field | undefined): Child {
  if (!field) {
    const value = row[name];
    return name.endsWith("_at") ? scope.format.dateTime(String(value)) : String(value);
  }
  const value = row[isReference(field) ? name.replace(/_id$/, "") : name];
  const at = isFiles(field) ? `${address(row)}/files/${name}` : undefined;
  return typeOf(field).show(value, field, scope, at);
}

/** What a column is called in the language of the person: a field, or one that every record has. */
export function labelOfColumn(scope: Scope, entity: Entity, name: string): string {
  const field = entity.fields[name];
  if (field) return labelIn(field.label, scope.language);
  const automatic: Readonly<Record<string, string>> = scope.messages.automatic;
  return automatic[name] ?? name;
}
