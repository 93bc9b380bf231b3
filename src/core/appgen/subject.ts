import type { Calculation } from "../../../kit/formula/calculation.ts";
import { computedField } from "../formula/compile.ts";
import {
  type Entity,
  entitiesReferringTo,
  entityNamed,
  type Field,
  isComputed,
  isMany,
  isReference,
  type Model,
} from "../model/model.ts";
import { pathOf } from "../model/names.ts";
import { spokenNames } from "../model/read.ts";
import { camelCase, pascalCase, pluralOf, slugOf } from "../naming/words.ts";
import { columnOf, tableOf } from "../schema/from-model.ts";

/** An entity with every name that its code uses. */
export interface Subject {
  entity: Entity;
  table: string;
  path: string;
  /** `hive`, in `src/entities/hive/hive.ts`. */
  file: string;
  /** `Hive`, in `HiveInput`. */
  pascal: string;
  /** `hive`, in `hiveInput`. */
  camel: string;
  /** The words of one and of several within a sentence. */
  one: string;
  many: string;
  /** The calculation of each computed field. */
  computed: ReadonlyMap<Field, Calculation>;
  /** The fields of the form, in its order. */
  inForm: Field[];
  /** Who refers to it. */
  referrers: Referrer[];
  /** Whether people sign in to the application. */
  signsIn: boolean;
}

/** A field of another entity, or of the same, that refers to an entity. */
export interface Referrer {
  entity: Entity;
  field: Field & { type: { entity: string } };
  /** The name under which they are handed to that page. */
  property: string;
}

const known = new WeakMap<Model, Map<string, Subject>>();

/** The names of an entity's code; made once for each model. */
export function subjectOf(model: Model, entity: Entity): Subject {
  const subjects = known.get(model) ?? new Map<string, Subject>();
  known.set(model, subjects);
  const subject = subjects.get(entity.name) ?? makeSubject(model, entity);
  subjects.set(entity.name, subject);
  return subject;
}

function makeSubject(model: Model, entity: Entity): Subject {
  const camel = camelCase(entity.name);
  const shown = entity.sections.flatMap(({ fields }) => fields);
  return {
    entity,
    table: tableOf(entity.name),
    path: pathOf(entity),
    file: slugOf(entity.name),
    pascal: pascalCase(entity.name),
    camel,
    ...spokenNames(entity),
    computed: new Map(
      entity.fields
        .filter(isComputed)
        .map((field): [Field, Calculation] => [field, computedField(model, entity, field)]),
    ),
    inForm: shown.flatMap(
      (name) => entity.fields.find((field) => field.name === name && !isComputed(field)) ?? [],
    ),
    referrers: referrersOf(model, entity),
    signsIn: model.users !== undefined,
  };
}

function referrersOf(model: Model, target: Entity): Referrer[] {
  const found = entitiesReferringTo(model, target.name).flatMap((entity) =>
    entity.fields
      .filter((field) => isReference(field) || isMany(field))
      .filter((field) => field.type.entity === target.name)
      .map((field) => ({ entity, field })),
  );
  const count = new Map<Entity, number>();
  for (const { entity } of found) count.set(entity, (count.get(entity) ?? 0) + 1);
  return found.map(({ entity, field }) => {
    const several = (count.get(entity) ?? 0) > 1 || entity === target;
    const plural = camelCase(pluralOf(entity.name));
    const property = several ? `${plural}By${pascalCase(field.name)}` : plural;
    return { entity, field, property };
  });
}

/** The name of a field in forms and addresses. */
export function inputName(field: Field): string {
  return columnOf(field);
}

/** The constant with the labels of a choice. */
export function choicesName({ camel }: Pick<Subject, "camel">, field: Field): string {
  return `${camel}${pascalCase(field.name)}Choices`;
}

/** The subject behind a relationship. */
export function targetOf(model: Model, field: Field & { type: { entity: string } }): Subject {
  return subjectOf(model, entityNamed(model, field.type.entity));
}
