import type { Diagnostics } from "./diagnostics.ts";
import { type Entity, type Field, isReference, type Model } from "./model.ts";

/** Checks what needs the whole model: circles of entities that can't exist, or can't be named, without each other. */
export function checkRelations(model: Model, diagnostics: Diagnostics): void {
  const required = (field: Field) => field.required;
  reportCircles(model, required, (names, field) => {
    diagnostics.error(
      field.at,
      `${chain(names)}: each requires the next, so the first record could never be made`,
      "take `required` from one of these fields, or turn `part of` into `one`",
    );
  });
  const titled = (field: Field, entity: Entity) =>
    entity.title?.some((part) => "field" in part && part.field === field.name) ?? false;
  reportCircles(model, titled, (names, field) => {
    diagnostics.error(
      field.at,
      `${chain(names)}: each is called by the next, so none has a name`,
      "take this field out of the `title`",
    );
  });
}

function chain(names: readonly string[]): string {
  return names.map((name) => `\`${name}\``).join(" → ");
}

/** Reports each circle of references among the fields that `follow` picks, once, at the field that closes it. */
function reportCircles(
  model: Model,
  follow: (field: Field, entity: Entity) => boolean,
  report: (names: string[], field: Field) => void,
): void {
  const entities = new Map(model.entities.map((entity) => [entity.name, entity]));
  const done = new Set<string>();
  const visit = (entity: Entity, path: string[]): void => {
    for (const field of entity.fields.filter(isReference)) {
      if (!follow(field, entity)) continue;
      const begin = path.indexOf(field.type.entity);
      const next = entities.get(field.type.entity);
      if (begin >= 0) report([...path.slice(begin), field.type.entity], field);
      else if (next && !done.has(next.name)) visit(next, [...path, next.name]);
    }
    done.add(entity.name);
  };
  for (const entity of model.entities) {
    if (!done.has(entity.name)) visit(entity, [entity.name]);
  }
}
