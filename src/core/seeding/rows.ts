import {
  type Entity,
  type Field,
  isComputed,
  isMany,
  isReference,
  type Model,
} from "../model/model.ts";
import { columnOf, inOrder, linkOf } from "../schema/from-model.ts";
import { randomFor } from "./random.ts";
import { type Occasion, personFor, seldomFilled, type Value, valueFor } from "./values.ts";

/** Rows for one entity, ready to be inserted. */
export interface SeededEntity {
  /** One record a row: its columns, apart from the automatic ones. */
  rows: Record<string, Value>[];
  /** What the fields with many records hold: for each link table, the row's place in `rows` and the other's number. */
  links: { table: string; from: string; to: string; pairs: [row: number, target: number][] }[];
}

/** What rows are made from. */
export interface SeedSource {
  seed: number;
  /** The day that counts as today, as `2026-05-03`. */
  today: string;
  /** The numbers of the records there are, by entity. */
  records: ReadonlyMap<string, readonly number[]>;
  /** Whether a row holds to the rules of its entity. */
  holds?(row: Readonly<Record<string, Value>>): boolean;
}

/** How often another value is tried for a row that came out like an earlier one. */
const mostTries = 60;

/** How many rows each entity gets, in the order in which they can be made: few parents, more children. */
export function seedingPlan(model: Model): { entity: Entity; count: number }[] {
  const counts = new Map<string, number>();
  return inOrder(model).map((entity) => {
    const parents = entity.fields
      .filter(isReference)
      .filter(({ required, type }) => required && type.entity !== entity.name)
      .map(({ type }) => counts.get(type.entity) ?? 8);
    const count = Math.min(240, parents.length > 0 ? Math.max(...parents) * 3 : 8);
    counts.set(entity.name, count);
    return { entity, count };
  });
}

/**
 * Makes rows for an entity: the same ones for the same seed, day and records. There are fewer than
 * `count` where no more exist that differ in what is unique.
 */
export function seedEntity(entity: Entity, count: number, source: SeedSource): SeededEntity {
  const rows: Record<string, Value>[] = [];
  const taken = uniqueGroups(entity).map((columns) => ({ columns, seen: new Set<string>() }));
  for (let row = 0; row < count; row++) {
    const made = tryRow(entity, row, source, taken);
    if (!made) break;
    rows.push(made);
  }
  return { rows, links: linksFor(entity, rows.length, source) };
}

interface Taken {
  columns: string[];
  seen: Set<string>;
}

function tryRow(entity: Entity, row: number, source: SeedSource, taken: Taken[]) {
  for (let attempt = 0; attempt < mostTries; attempt++) {
    const made = makeRow(entity, row, attempt, source);
    if (!made) return undefined;
    if (source.holds && !source.holds(made)) continue;
    const keys = taken.map(({ columns }) =>
      columns.some((column) => made[column] === null)
        ? undefined
        : JSON.stringify(columns.map((column) => String(made[column]).toLowerCase())),
    );
    if (keys.some((key, index) => key !== undefined && taken[index]?.seen.has(key))) continue;
    for (const [index, key] of keys.entries()) if (key) taken[index]?.seen.add(key);
    return made;
  }
  return undefined;
}

function uniqueGroups(entity: Entity): string[][] {
  const column = (name: string) => {
    const field = entity.fields.find((candidate) => candidate.name === name);
    return field ? columnOf(field) : name;
  };
  const single = entity.fields.filter(({ unique }) => unique).map((field) => [columnOf(field)]);
  return [...single, ...entity.unique.map((group) => group.map(column))];
}

function makeRow(entity: Entity, row: number, attempt: number, source: SeedSource) {
  const person = personFor(randomFor(source.seed, entity.name, "person", row));
  const made: Record<string, Value> = {};
  for (const field of entity.fields) {
    if (isMany(field) || isComputed(field)) continue;
    const random = randomFor(source.seed, entity.name, field.name, row, attempt);
    const value = fieldValue(field, source, {
      entity,
      row,
      attempt,
      made,
      today: source.today,
      random,
      person,
    });
    if (value === null && field.required) return undefined;
    made[columnOf(field)] = value;
  }
  return made;
}

function fieldValue(field: Field, source: SeedSource, occasion: Occasion): Value {
  const { random, row } = occasion;
  if (isReference(field)) {
    const records = source.records.get(field.type.entity) ?? [];
    if (records.length === 0 || (!field.required && random.next() < 0.15)) return null;
    if (field.unique) return records[row] ?? null;
    // Some records have many that refer to them, and some have few.
    return records[Math.floor(random.next() ** 1.6 * records.length)] ?? null;
  }
  const blank = field.type.kind === "choice" ? 0 : seldomFilled(field) ? 0.85 : 0.2;
  return !field.required && random.next() < blank ? null : valueFor(field, occasion);
}

function linksFor(entity: Entity, count: number, source: SeedSource): SeededEntity["links"] {
  return entity.fields.filter(isMany).map((field) => {
    const records = source.records.get(field.type.entity) ?? [];
    const pairs: [number, number][] = [];
    for (let row = 0; row < count && records.length > 0; row++) {
      const random = randomFor(source.seed, entity.name, field.name, row);
      const least = field.required ? 1 : 0;
      const wanted = Math.min(records.length, random.whole(least, 3));
      const chosen = new Set<number>();
      while (chosen.size < wanted) chosen.add(random.pick(records));
      for (const target of chosen) pairs.push([row, target]);
    }
    return { ...linkOf(entity, field), pairs };
  });
}
