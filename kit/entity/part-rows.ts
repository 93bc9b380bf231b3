import type { Entity } from "./entity.ts";

/** Parts of a record that are typed in rows of its form. */
export interface PartRows {
  entity: Entity;
  /** The field in which they have the record that they belong to. */
  field: string;
  /** The fields that are typed, in their order. */
  columns: readonly string[];
}

/** By the names that a form has for them. */
export type PartsOfForm = Readonly<Record<string, PartRows>>;

/** Declares which fields of parts are typed in rows of the form of the record that they belong to. */
export function partRows<Known extends Entity>(
  entity: Known,
  field: keyof Known["fields"] & string,
  columns: readonly (keyof Known["fields"] & string)[],
): PartRows {
  return { entity: entity as unknown as Entity, field, columns };
}
