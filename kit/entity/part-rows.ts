import type { Entity } from "./entity.ts";
import type { Label } from "./label.ts";

/** What people read of a field that they fill in: an example in it, and a hint. */
export interface FieldRemarks {
  placeholder?: Label;
  hint?: Label;
}

/** Parts of a record that are typed in rows of its form. */
export interface PartRows {
  entity: Entity;
  /** The field in which they have the record that they belong to. */
  field: string;
  /** The fields that are typed, in their order. */
  columns: readonly string[];
  remarks: Readonly<Record<string, FieldRemarks>>;
}

/** By the names that a form has for them. */
export type PartsOfForm = Readonly<Record<string, PartRows>>;

/** Declares which fields of parts are typed in rows of the form of the record that they belong to, and what is said of them. */
export function partRows<Known extends Entity>(
  entity: Known,
  field: keyof Known["fields"] & string,
  columns: readonly (keyof Known["fields"] & string)[],
  remarks?: { readonly [Name in keyof Known["fields"] & string]?: FieldRemarks },
): PartRows {
  const known = (remarks ?? {}) as PartRows["remarks"];
  return { entity: entity as unknown as Entity, field, columns, remarks: known };
}
