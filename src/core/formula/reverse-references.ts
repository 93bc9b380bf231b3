import { viaName } from "../../../kit/formula/tree.ts";
import {
  type Entity,
  entitiesReferringTo,
  type Field,
  isReference,
  type Model,
} from "../model/model.ts";
import { pluralOf, snakeCase } from "../naming/words.ts";

/** What such lists were called before their entities were renamed, and what they are called now. */
export function formerLists(model: Model, target: Entity): [string, string][] {
  return [...reverseReferences(model, target)].flatMap(([list, { entity, field }]) => {
    if (entity.was === undefined) return [];
    const plural = snakeCase(pluralOf(entity.was));
    return [plural, viaName(plural, field.name)].map((former): [string, string] => [former, list]);
  });
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
