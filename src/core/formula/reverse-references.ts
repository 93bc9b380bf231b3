import {
  type Entity,
  entitiesReferringTo,
  type Field,
  isReference,
  type Model,
} from "../model/model.ts";
import { pluralOf, snakeCase } from "../naming/words.ts";
import { viaName } from "./tree.ts";

/** What such a list was called before its entity was renamed, and what it is called now. */
export function formerList(model: Model, target: Entity, name: string): string | undefined {
  for (const [list, { entity, field }] of reverseReferences(model, target)) {
    if (entity.was === undefined) continue;
    const plural = snakeCase(pluralOf(entity.was));
    if (name === plural || name === viaName(plural, field.name)) return list;
  }
  return undefined;
}

/** The records that refer to one of an entity: by their plural, and by the field where there are several. */
export function reverseReferences(
  model: Model,
  target: Entity,
): Map<string, { entity: Entity; field: Field }> {
  const referring = entitiesReferringTo(model, target.name).flatMap((entity) =>
    entity.fields
      .filter((field) => isReference(field) && field.type.entity === target.name)
      .map((field) => ({ entity, field })),
  );
  return new Map(
    referring.map((each) => {
      const several = referring.filter(({ entity }) => entity === each.entity).length > 1;
      const plural = snakeCase(pluralOf(each.entity.name));
      return [several ? viaName(plural, each.field.name) : plural, each];
    }),
  );
}
