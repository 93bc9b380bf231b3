import { type Entity, type Field, isMany, type Model } from "../model/model.ts";
import { columnOf, linkOf, tableOf } from "../schema/from-model.ts";

/** A deferred change: of a column, or of a whole table. */
export interface DeferredChange {
  table: string;
  column?: string;
}

/**
 * The model with the changes that wait left out: where `wanted` differs from `built` in a way that
 * rows could violate, it is as it was. Everything else is as wanted.
 */
export function deferChanges(
  wanted: Model,
  built: Model,
  waiting: readonly DeferredChange[],
): Model {
  return waiting.reduce((model, change) => holdOne(model, built, change), wanted);
}

function holdOne(model: Model, built: Model, { table, column }: DeferredChange): Model {
  const before = built.entities.find((entity) => owns(entity, table));
  const now = model.entities.find((entity) => owns(entity, table)) ?? sameName(model, before);
  if (!before)
    return now && column ? replaced(model, withoutField(now, fieldAt(now, table, column))) : model;
  if (!now) return { ...model, entities: [...model.entities, before] };
  const old = fieldAt(before, table, column);
  const entity = old ? withField(now, old) : withoutField(now, fieldAt(now, table, column), before);
  return replaced(model, groupsAsBuilt(entity, before, column));
}

/** Whether a table is the entity's own, or one of the link tables of its fields. */
function owns(entity: Entity, table: string): boolean {
  return tableOf(entity.name) === table || linkFieldAt(entity, table) !== undefined;
}

function sameName(model: Model, entity: Entity | undefined): Entity | undefined {
  return model.entities.find(({ name }) => name === entity?.name);
}

function linkFieldAt(entity: Entity, table: string): Field | undefined {
  return entity.fields.filter(isMany).find((field) => linkOf(entity, field).table === table);
}

function fieldAt(entity: Entity, table: string, column: string | undefined): Field | undefined {
  return (
    linkFieldAt(entity, table) ??
    entity.fields.find((field) => !isMany(field) && columnOf(field) === column)
  );
}

function replaced(model: Model, entity: Entity): Model {
  const entities = model.entities.map((other) => (other.name === entity.name ? entity : other));
  return { ...model, entities };
}

/** The entity with this field instead of the one of that name, or besides the ones it has. */
function withField(entity: Entity, field: Field): Entity {
  const known = entity.fields.some(({ name }) => name === field.name);
  if (known) {
    const fields = entity.fields.map((other) => (other.name === field.name ? field : other));
    return { ...entity, fields };
  }
  const sections = entity.sections.map((section, index) =>
    index === entity.sections.length - 1
      ? { ...section, fields: [...section.fields, field.name] }
      : section,
  );
  return { ...entity, fields: [...entity.fields, field], sections };
}

/** The entity without a field that is new in it, wherever it is named. */
export function withoutField(entity: Entity, field: Field | undefined, before?: Entity): Entity {
  if (!field) return entity;
  const others = (names: readonly string[]) => names.filter((name) => name !== field.name);
  const titled = entity.title?.some((part) => "field" in part && part.field === field.name);
  const { title, ...rest } = entity;
  const kept = titled ? before?.title : title;
  return {
    ...rest,
    ...(kept && { title: kept }),
    fields: entity.fields.filter(({ name }) => name !== field.name),
    columns: others(entity.columns),
    sections: entity.sections.map((section) => ({ ...section, fields: others(section.fields) })),
    sort: entity.sort.filter((key) => key.field !== field.name),
    unique: entity.unique.filter((group) => !group.includes(field.name)),
  };
}

/** Groups that became unique begin with a column of them; the ones that were there stay. */
function groupsAsBuilt(entity: Entity, before: Entity, column: string | undefined): Entity {
  const isNew = (group: readonly string[]) =>
    !before.unique.some((old) => old.join() === group.join());
  const first = (group: readonly string[]) => {
    const field = entity.fields.find(({ name }) => name === group[0]);
    return field && columnOf(field);
  };
  return {
    ...entity,
    unique: entity.unique.filter((group) => !isNew(group) || first(group) !== column),
  };
}
