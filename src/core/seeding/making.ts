import { type Entity, isReference, type Model, targetsOf } from "../model/model.ts";
import { vocabularyOf } from "./languages.ts";
import { People } from "./people.ts";
import type { PlaceInLife } from "./place-in-life.ts";
import type { Vocabulary } from "./vocabulary.ts";

/** What the values of an entity are made with. */
export interface Making {
  entity: Entity;
  seed: number;
  /** The number of the day from which days count back. */
  today: number;
  /** How many rows there will be. */
  wanted: number;
  placeInLife: PlaceInLife;
  vocabulary: Vocabulary;
  /** The person that a row is about, by its number. */
  people: People;
  /** Values that rows have already, by field: codes take their shape. */
  examples?: ReadonlyMap<string, string>;
  /** What fields of files can hold, as in `Hive.photo`. */
  files?: ReadonlyMap<string, readonly string[]>;
}

/** What the values of an entity are made with, for one seed. */
export function makingOf(
  model: Model,
  entity: Entity,
  rest: Pick<Making, "seed" | "today" | "wanted" | "examples" | "files">,
): Making {
  const vocabulary = vocabularyOf(model.app.language);
  const making = { entity, vocabulary, placeInLife: placeInLifeOf(model, entity), ...rest };
  return { ...making, people: new People(vocabulary, rest.seed, entity.name, "person") };
}

/** Whether other records hang on those of an entity: on all that there is, on much of it, or on nothing. */
function placeInLifeOf(model: Model, entity: Entity): PlaceInLife {
  const others = model.entities.filter((other) => other !== entity);
  if (!others.some((other) => targetsOf(other).has(entity.name))) return "last";
  const needs = entity.fields.some((field) => isReference(field) && field.required);
  return needs ? "between" : "first";
}
