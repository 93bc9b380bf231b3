import * as z from "zod";
import type { Scope } from "../../access/scope.ts";
import {
  type Entity,
  type Fields,
  isComputed,
  isReference,
  isReferences,
} from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { unitOf } from "../../fields/types.ts";
import { sortName } from "../../store/list/order.ts";
import { isOutOfSight } from "../../store/sent-values.ts";
import { givenShape, linkShape, takenShape } from "./json-values.ts";

/** The shapes of the records of an entity in JSON, as a person reads and sends them. */
export interface Shapes {
  /** A record with all of its fields. */
  whole: z.ZodObject;
  /** One with the fields that were asked for. */
  part: z.ZodObject;
  /** What makes a new one. */
  added: z.ZodObject;
  /** What changes one: a merge patch (RFC 7396). */
  changed: z.ZodObject;
}

/** What every record has. `displayTitle` is what people call it. */
export const always = {
  id: z.int(),
  version: z.int(),
  created_at: z.iso.datetime(),
  updated_at: z.iso.datetime(),
  displayTitle: z.string(),
};

/** The shapes that the records of an entity have for a person. */
export function shapesOf(scope: Scope, entity: Entity): Shapes {
  const given: Record<string, z.ZodType> = {};
  for (const [name, field] of seenFields(scope, entity)) {
    given[name] = describe(scope, field, givenShape(field, isAlways(scope, entity, name, field)));
    if (isReference(field)) given[linkName(name)] = linkShape.nullable();
  }
  const whole = z.object({ ...always, ...given });
  const part = z.object({ ...whole.partial().shape, id: always.id, version: always.version });
  const taken = (action: "add" | "change") =>
    Object.entries(askedFields(scope, entity, action)).map(
      ([name, field]) => [name, describe(scope, field, takenShape(field, scope))] as const,
    );
  const added = taken("add").map(
    ([name, shape]) => [name, isNeeded(entity, name) ? shape : shape.optional()] as const,
  );
  const changed = taken("change").map(([name, shape]) => [name, shape.optional()] as const);
  return {
    whole,
    part,
    added: z.strictObject(Object.fromEntries(added)),
    changed: z.strictObject(Object.fromEntries(changed)),
  };
}

/** The fields of an entity that the person sees, with their names. */
export function seenFields(scope: Scope, entity: Entity): [string, Field][] {
  return Object.entries(entity.fields).filter(([name]) => !scope.isHidden(entity, name));
}

/** The fields that the person may fill in of some records at least. */
export function askedFields(scope: Scope, entity: Entity, action: "add" | "change"): Fields {
  const withheld = scope.withheld(action, entity);
  return Object.fromEntries(
    Object.entries(entity.inputs).filter(([name, field]) => {
      const isKept = withheld.has(name) && withheld.get(name) === undefined;
      const refers = isReference(field) || isReferences(field);
      return !isKept && !(refers && isOutOfSight(scope, field));
    }),
  );
}

/** The names by which a person can sort a list. */
export function sortNames(scope: Scope, entity: Entity): string[] {
  const seen = seenFields(scope, entity).flatMap(
    ([name]) => (sortName(entity, name) ?? []) as string | [],
  );
  return [...entity.sorted, ...seen];
}

/** The name of the link to what a reference refers to: `apiary` for `apiary_id`. */
export function linkName(name: string): string {
  return name.replace(/_id$/, "");
}

/** Whether a new record needs a value for a field from whoever adds it. */
export function isNeeded(
  { inputs, conditionalFields: { starts = {}, blank = {} } }: Entity,
  name: string,
) {
  const field = inputs[name];
  return field?.required === true && !field.start && !starts[name] && !blank[name];
}

/** Whether a field has a value in every record that the person sees. */
function isAlways(scope: Scope, entity: Entity, name: string, field: Field): boolean {
  if (isComputed(field) || scope.unseen(entity).has(name)) return false;
  return field.required || field.kind === "boolean";
}

function describe(scope: Scope, field: Field, shape: z.ZodType): z.ZodType {
  const unit = unitOf(scope, field);
  const label = scope.translated(field.label);
  return shape.meta({ ...shape.meta(), title: unit ? `${label} (${unit})` : label });
}
