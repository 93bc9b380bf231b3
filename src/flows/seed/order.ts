import { nearest } from "../../../kit/formula/nearest.ts";
import { Failure } from "../../core/failure.ts";
import { isReference, type Model } from "../../core/model/model.ts";
import { tableOf } from "../../core/schema/from-model.ts";
import { type Counts, limitsOf, sharedOut, usualCounts } from "../../core/seeding/plan.ts";
import type { Engine } from "../../io/engines/engine.ts";
import { rowOwners, samplesMade } from "../rows/row-ownership.ts";
import { impossibleRows } from "./failures.ts";
import type { SeedingRecord } from "./record.ts";

/** The number that sample rows follow from when nobody asks for another. */
export const usualSeed = 1;

/** The options of seeding. */
export interface SeedRequest {
  /** The entities to fill; all of them where none is named. */
  entities?: readonly string[];
  /** How many rows each named entity gets, or all entities together. */
  rows?: number | undefined;
  /** The number that the rows follow from. */
  seed?: number | undefined;
  /** Delete sample rows first. */
  emptyFirst?: boolean;
  /** Entities whose rows entered by users may be deleted too. */
  acceptLoss?: readonly string[];
  /** Whether there is to be a sample person of each group. */
  people?: boolean;
}

/** The names of entities as the model has them; throws at one that it doesn't have. */
export function entitiesNamed(model: Model, names: readonly string[]): string[] {
  const known = model.entities.map(({ name }) => name);
  return names.map((name) => {
    const found = known.find((each) => each.toLowerCase() === name.toLowerCase());
    if (found) return found;
    const close = nearest(name, known);
    const help = close ? `did you mean ${close}?` : `the entities are ${known.join(", ")}`;
    throw new Failure("usage", `the model has no entity ${name}`, help);
  });
}

/** Counts of an entity's rows. */
export interface ExistingRows {
  all: number;
  /** Sample rows that were made so far, gone ones included. */
  made: number;
  /** Rows that users entered or changed. */
  own: number;
  /** Rows made by seeding and unchanged since. */
  samples: number;
}

/** Counts of the rows of each entity of a model. */
export async function existingRowsOf(
  engine: Engine,
  model: Model,
): Promise<Map<string, ExistingRows>> {
  const existingRows = new Map<string, ExistingRows>();
  for (const { name } of model.entities) {
    const table = engine.dialect.quoted(tableOf(name));
    const { sample, user } = await rowOwners(engine, tableOf(name));
    const all = await engine.count(`select 1 as one from ${table}`);
    const of = (condition: string) =>
      all === 0 ? 0 : engine.count(`select 1 as one from ${table} t where ${condition}`);
    const made = await samplesMade(engine, tableOf(name));
    existingRows.set(name, { all, made, own: await of(user), samples: await of(sample) });
  }
  return existingRows;
}

export interface SeedOrder {
  /** How many rows are made, by entity. */
  counts: Map<string, number>;
  skipped: string[];
  /** The sample rows that entities have already, where fewer were asked for. */
  surplus: Record<string, number>;
  /** How many rows entities were given by themselves, to be written down. */
  usual: Record<string, number>;
}

/** How many rows each entity gets: what is asked for, else what the model says, else what seems right. */
export function orderOf(
  model: Model,
  existingRows: ReadonlyMap<string, ExistingRows>,
  { entities = [], rows }: SeedRequest,
  record: SeedingRecord,
  today: string,
): SeedOrder {
  const all = entities.length === 0;
  const wanted = new Set(
    all ? model.entities.map(({ name }) => name) : withNeeded(model, entities, existingRows),
  );
  const known = new Map<string, number>();
  for (const { name, seed } of model.entities) {
    const existing = existingRows.get(name) ?? nothing;
    const said = seed?.rows ?? record.rows?.[name];
    if (said !== undefined) known.set(name, said);
    else if (hasOthers(existing) && !entities.includes(name)) known.set(name, existing.all);
  }
  const usual = usualCounts(model, today, known);
  const shared = all && rows !== undefined ? sharedOut(rows, usual) : undefined;
  const order: SeedOrder = { counts: new Map(), skipped: [], surplus: {}, usual: {} };
  for (const { name, seed } of model.entities.filter((entity) => wanted.has(entity.name))) {
    const existing = existingRows.get(name) ?? nothing;
    const named = entities.includes(name);
    // Nothing is made by itself beside rows of users, nor beside others where the model doesn't say so.
    const left = seed?.rows === undefined ? hasOthers(existing) : existing.own > 0;
    const asked = named ? rows : shared?.get(name);
    const count = asked ?? usual.get(name) ?? 0;
    if ((left && !named) || (count <= existing.made && existing.all > 0)) order.skipped.push(name);
    else if (count > existing.made) order.counts.set(name, count - existing.made);
    if (named && rows !== undefined && rows < existing.samples)
      order.surplus[name] = existing.samples;
    if (!(left && !named) && asked === undefined && seed?.rows === undefined)
      order.usual[name] = count;
  }
  return order;
}

const nothing: ExistingRows = { all: 0, made: 0, own: 0, samples: 0 };

/** Whether there are rows that aren't sample rows: people's, or those of files and of the model. */
function hasOthers({ all, samples }: ExistingRows): boolean {
  return all > samples;
}

/** Some entities, and the empty ones that they require. */
function withNeeded(
  model: Model,
  names: readonly string[],
  existingRows: ReadonlyMap<string, ExistingRows>,
): string[] {
  const found = new Set(names);
  for (const name of found) {
    const entity = model.entities.find((each) => each.name === name);
    for (const field of entity?.fields.filter(isReference) ?? []) {
      const missing = (existingRows.get(field.type.entity)?.all ?? 0) === 0;
      if (field.required && missing) found.add(field.type.entity);
    }
  }
  return [...found];
}

/** Throws where the model shows that so many rows are impossible. */
export function requirePossible(
  model: Model,
  counts: Counts,
  existingRows: ReadonlyMap<string, ExistingRows>,
  today: string,
): void {
  const after = new Map(
    model.entities.map(({ name }) => [
      name,
      (existingRows.get(name)?.all ?? 0) + (counts.get(name) ?? 0),
    ]),
  );
  const found = model.entities.flatMap((entity) => {
    const count = counts.get(entity.name) ?? 0;
    if (count === 0) return [];
    const there = existingRows.get(entity.name)?.all ?? 0;
    return limitsOf(model, entity, today, there + count, after).flatMap((limit) =>
      limit.possible < there + count
        ? [{ ...limit, wanted: count, possible: Math.max(0, limit.possible - there) }]
        : [],
    );
  });
  if (found.length > 0) throw impossibleRows(found);
}
