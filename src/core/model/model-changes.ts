import type { Entity, Field, Model } from "./model.ts";

/** What differs between two models, a sentence for each entity and field that does. */
export function modelChanges(before: Model, now: Model): string[] {
  const rest = ({ entities: _, ...other }: Model) => other;
  const top = keysThatDiffer(rest(before), rest(now)).map((key) => `${key} is changed`);
  const names = new Set(now.entities.map(({ name }) => name));
  const taken = new Set(now.entities.flatMap(({ was }) => was ?? []));
  const gone = before.entities.filter(({ name }) => !names.has(name) && !taken.has(name));
  return [
    ...top,
    ...now.entities.flatMap((entity) => entityChanges(formerOf(before.entities, entity), entity)),
    ...gone.map(({ name }) => `${name} is removed`),
  ];
}

function entityChanges(before: Entity | undefined, now: Entity): string[] {
  const { name } = now;
  if (!before) return [`${name} is new`];
  const rest = ({ fields: _, was: __, name: ___, ...other }: Entity) => other;
  const names = new Set(now.fields.flatMap((field) => [field.name, field.was ?? field.name]));
  const hasSame = namesOf(before) === namesOf(now);
  const changed = keysThatDiffer(rest(before), rest(now)).filter(
    // Both follow the fields by themselves.
    (key) => hasSame || !["columns", "sections"].includes(key),
  );
  return [
    ...(before.name === name ? [] : [`${before.name} is called ${name}`]),
    ...(changed.length > 0 ? [`${name}: ${changed.join(", ")} changed`] : []),
    ...now.fields.flatMap((field) => fieldChanges(name, formerOf(before.fields, field), field)),
    ...before.fields
      .filter((field) => !names.has(field.name))
      .map((field) => `${name}.${field.name} is removed`),
  ];
}

const namesOf = ({ fields }: Entity) => fields.map(({ name }) => name).join(" ");

function fieldChanges(entity: string, before: Field | undefined, now: Field): string[] {
  const name = `${entity}.${now.name}`;
  if (!before) return [`${name} is new`];
  const rest = ({ was: _, name: __, ...other }: Field) => other;
  const changed = keysThatDiffer(rest(before), rest(now));
  return [
    ...(before.name === now.name ? [] : [`${entity}.${before.name} is called ${now.name}`]),
    ...(changed.length > 0 ? [`${name}: ${changed.join(", ")} changed`] : []),
  ];
}

/** What something was before: of the name that it had, or of its own. */
function formerOf<Named extends { name: string; was?: string }>(
  before: readonly Named[],
  { name, was }: Named,
): Named | undefined {
  const same = before.find((each) => each.name === name);
  if (was === undefined || same?.was === was) return same;
  return before.find((each) => each.name === was) ?? same;
}

function keysThatDiffer(before: object, now: object): string[] {
  const [one, other] = [before, now].map((each) => new Map(Object.entries(each)));
  const keys = new Set([...(one?.keys() ?? []), ...(other?.keys() ?? [])]);
  return [...keys].filter(
    (key) => key !== "at" && textOf(one?.get(key)) !== textOf(other?.get(key)),
  );
}

/** A value as a text, without where it stands in the model file. */
function textOf(value: unknown): string {
  return (
    JSON.stringify(value, (key, each) => (key === "at" || key === "origin" ? undefined : each)) ??
    ""
  );
}
