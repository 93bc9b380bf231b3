import { type Entity, type Field, isReference, type Model } from "../model/model.ts";
import { parentsFirst } from "../schema/from-model.ts";
import { dayOf } from "./days.ts";
import { makingOf } from "./making.ts";
import { seededFields } from "./rows.ts";
import { valueMaker } from "./values.ts";

/** How many records each entity has or will have. */
export type Counts = ReadonlyMap<string, number>;

/** Rows of an entity that can't be made, whatever is tried. */
export interface Impossible {
  entity: Entity;
  /** The fields that cause it: one, or those that are unique together. */
  fields: Field[];
  wanted: number;
  /** How many rows are possible at most. */
  possible: number;
}

/** The most rows that an entity gets by itself. */
const mostByItself = 240;

/**
 * How many rows each entity gets where nobody says: few parents, more children; and as many as there can be
 * where that is less. In the order in which they can be made; `known` are those that somebody said.
 * `today` is the day from which days count back.
 */
export function usualCounts(
  model: Model,
  today: string,
  known: Counts = new Map(),
): Map<string, number> {
  const counts = new Map<string, number>();
  for (const entity of parentsFirst(model)) {
    const said = known.get(entity.name);
    if (said !== undefined) {
      counts.set(entity.name, said);
      continue;
    }
    const parents = entity.fields
      .filter(isReference)
      .filter(({ type }) => type.entity !== entity.name);
    const needed = parents.filter(({ required }) => required);
    const each = parents
      .filter(({ unique }) => unique)
      .map(({ type }) => counts.get(type.entity) ?? 12);
    const of = needed.map(({ type }) => counts.get(type.entity) ?? 12);
    const usual =
      each.length > 0
        ? Math.ceil(Math.min(...each) * 0.9)
        : of.length > 0
          ? Math.min(mostByItself, Math.max(...of) * 3)
          : parents.length > 0
            ? 24
            : 12;
    const limits = limitsOf(model, entity, today, usual, counts).map(({ possible }) => possible);
    // It is reported that none is possible, when one is asked for.
    counts.set(entity.name, Math.max(1, Math.min(usual, ...limits)));
  }
  return counts;
}

/** Shares a number of rows out among entities in proportion to `usual`; each gets at least one. */
export function sharedOut(total: number, usual: Counts): Map<string, number> {
  const sum = [...usual.values()].reduce((all, each) => all + each, 0);
  return new Map(
    [...usual].map(([name, count]) => [
      name,
      count === 0 ? 0 : Math.max(1, Math.round((total * count) / sum)),
    ]),
  );
}

/**
 * What can be said of the rows of an entity before the first is made: how many there can be at most, by each of
 * the fields that limit it. `counts` are the records that there will be to refer to.
 */
export function limitsOf(
  model: Model,
  entity: Entity,
  today: string,
  wanted: number,
  counts: Counts,
): Impossible[] {
  const making = makingOf(model, entity, { seed: 0, today: dayOf(today), wanted });
  const capacity = (field: Field): number => {
    if (!isReference(field)) return valueMaker(field, making).capacity;
    if (field.type.entity === entity.name) return Infinity;
    return counts.get(field.type.entity) ?? Infinity;
  };
  const limit = (fields: Field[], possible: number): Impossible[] =>
    Number.isFinite(possible) ? [{ entity, fields, wanted, possible }] : [];
  const filled = seededFields(entity);
  const single = filled.flatMap((field): Impossible[] => {
    if (!field.required) return [];
    if (isReference(field) && capacity(field) === 0) return limit([field], 0);
    return field.unique ? limit([field], capacity(field)) : [];
  });
  const groups = entity.unique.flatMap((names): Impossible[] => {
    const fields = filled.filter(({ name }) => names.includes(name));
    // Where one is empty, the others may come again.
    if (fields.length < names.length || !fields.every(({ required }) => required)) return [];
    const possible = fields.reduce((product, field) => product * capacity(field), 1);
    return limit(fields, possible);
  });
  return [...single, ...groups];
}
