import { type Entity, type Field, isMany, isReference } from "../model/model.ts";

/** The field by whose values records of an entity are matched and referred to; undefined where there is none. */
export function keyField(entity: Entity): Field | undefined {
  const unique = entity.fields.filter(
    (field) => field.unique && !isReference(field) && !isMany(field),
  );
  const titled = entity.title?.flatMap((part) => ("field" in part ? [part.field] : []));
  return (
    unique.find(({ name, required }) => required && titled?.includes(name)) ??
    unique.find(({ required }) => required) ??
    unique[0]
  );
}

/**
 * The fields by whose values rows are matched with records that are there: the key, else required fields that are unique
 * together. None where nothing tells the records apart.
 */
export function matchingFields(entity: Entity): Field[] {
  const key = keyField(entity);
  if (key) return [key];
  const groups = entity.unique.map((names) =>
    names.flatMap((name) => entity.fields.find((field) => field.name === name) ?? []),
  );
  return groups.find((fields) => fields.every(({ required }) => required)) ?? [];
}

/** Other fields by whose values a record can be found. */
export function aliasFields(entity: Entity): Field[] {
  const key = keyField(entity);
  return entity.fields.filter(
    (field) => field.unique && field !== key && !isReference(field) && !isMany(field),
  );
}
