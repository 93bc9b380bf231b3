import { rmSync } from "node:fs";
import { now, todayIn } from "../../../kit/formula/clock.ts";
import type { Entity, Model } from "../../core/model/model.ts";
import { columnOf, tableOf } from "../../core/schema/from-model.ts";
import { lifetimeColumns, lifetimesOf } from "../../core/seeding/days.ts";
import { seededFields, Unmakeable } from "../../core/seeding/rows.ts";
import {
  type EntitySample,
  type Present,
  type SampleFiles,
  Sampling,
} from "../../core/seeding/sampling.ts";
import type { Value } from "../../core/seeding/value.ts";
import type { Engine } from "../../io/engines/engine.ts";
import type { Project } from "../../io/project/project.ts";
import { withDatabase } from "../database.ts";
import { filesOf } from "../files/location.ts";
import { takeNamedFiles } from "../files/named-files.ts";
import { loadSources, pendingData } from "../import/load.ts";
import type { Loaded } from "../import/loaded.ts";
import { requireMigrated } from "../migrate/migrate.ts";
import type { Report } from "../report.ts";
import { type Clearing, clearEntities, clearingOf, requireNamed } from "../rows/clear-rows.ts";
import { requireOneOrganisation } from "../rows/one-organisation.ts";
import { unmakeableRow } from "./failures.ts";
import {
  type ExistingRows,
  existingRowsOf,
  orderOf,
  requirePossible,
  type SeedOrder,
  type SeedRequest,
  usualSeed,
} from "./order.ts";
import { readSeedingRecord, writeSeedingRecord } from "./record.ts";
import { holdToRules } from "./rules.ts";
import { filesInStore } from "./sample-files.ts";
import { seedPeople } from "./sample-people.ts";

/** The result of seeding. */
export interface Seeded {
  seed: number;
  /** The day from which days count back. */
  today: string;
  /** Sample rows that were made, by entity. */
  rows: Record<string, number>;
  /** How many sample people were made, who can sign in under `rise`. */
  people: number;
  /** Entities that were left alone, because they have rows already. */
  skipped: string[];
  /** The sample rows that entities had already, where fewer were asked for. */
  surplus: Record<string, number>;
  /** Rows loaded from files and from the model. */
  loaded: Loaded[];
  /** The folder with rows entered by users that were deleted. */
  kept?: string;
}

/** Fills entities with sample rows. All of it is done, or nothing. */
export async function seedProject(
  project: Project,
  model: Model,
  request: SeedRequest,
  report: Report,
): Promise<Seeded> {
  await requireMigrated(project, model);
  const record = readSeedingRecord(project);
  const sources = await pendingData(project, model);
  const day = record.today ?? todayIn(model.app.timezone);
  const seed = request.seed ?? record.seed ?? usualSeed;
  let kept: string | undefined;
  const named = await takeNamedFiles(project, sources, {});
  const seeded = await withDatabase(project, (engine) =>
    engine.transaction(async () => {
      await requireOneOrganisation(engine, model);
      if (request.emptyFirst) kept = await emptyFirst(engine, project, model, request);
      const loaded =
        sources.length > 0 ? await loadSources(engine, model, sources, { named }, report) : [];
      const existingRows = await existingRowsOf(engine, model);
      const order = orderOf(model, existingRows, request, record, day);
      const moments = { today: day, now: now() };
      const files = await filesInStore(model, seed, order.counts, filesOf(project));
      const filling = { seed, ...moments, ...order, files };
      await fillEntities(engine, model, filling, existingRows, report);
      const people = request.people ? await seedPeople(engine, model, moments.now) : 0;
      report({ kind: "working", on: "writing it all to the disk" });
      return { ...order, loaded, people };
    }),
  ).catch((error) => {
    // No rows were deleted, so nothing is kept.
    if (kept) rmSync(kept, { recursive: true, force: true });
    throw error;
  });
  const { counts, skipped, surplus, usual, loaded, people } = seeded;
  for (const each of loaded) report({ kind: "loaded", ...each });
  for (const { name, plural } of model.entities) {
    const count = counts.get(name);
    if (count) report({ kind: "seeded", entity: plural, rows: count });
  }
  if (people > 0) report({ kind: "seeded people", people });
  writeSeedingRecord(project, { seed, today: day, rows: { ...record.rows, ...usual } });
  const rows = Object.fromEntries([...counts].filter(([, count]) => count > 0));
  return { seed, today: day, rows, people, skipped, surplus, loaded, ...(kept && { kept }) };
}

/** How many rows seeding would make of each entity, in the order of the model; makes none. */
export async function seedPreview(
  project: Project,
  model: Model,
  request: SeedRequest,
): Promise<{
  rows: { entity: string; rows: number }[];
  skipped: string[];
  surplus: Record<string, number>;
}> {
  await requireMigrated(project, model);
  const record = readSeedingRecord(project);
  const day = record.today ?? todayIn(model.app.timezone);
  return withDatabase(project, async (engine) => {
    const existingRows = await existingRowsOf(engine, model);
    const clearing = request.emptyFirst ? await allowedClearing(engine, model, request) : [];
    for (const { entity } of clearing) {
      const existing = existingRows.get(entity.name);
      if (!existing) continue;
      const own = request.acceptLoss?.includes(entity.name) ? 0 : existing.own;
      existingRows.set(entity.name, { ...existing, all: own, own, samples: 0 });
    }
    const { counts, skipped, surplus } = orderOf(model, existingRows, request, record, day);
    requirePossible(model, counts, existingRows, day);
    const rows = model.entities.flatMap(({ name }) => {
      const count = counts.get(name) ?? 0;
      return count > 0 ? [{ entity: name, rows: count }] : [];
    });
    return { rows, skipped, surplus };
  });
}

/** What `emptyFirst` would delete; throws where it may not. */
export async function clearingPreview(
  project: Project,
  model: Model,
  request: SeedRequest,
): Promise<Clearing[]> {
  await requireMigrated(project, model);
  return withDatabase(project, (engine) => allowedClearing(engine, model, request));
}

async function allowedClearing(
  engine: Engine,
  model: Model,
  { entities = [], acceptLoss = [] }: SeedRequest,
): Promise<Clearing[]> {
  const names = entities.length > 0 ? entities : model.entities.map(({ name }) => name);
  const clearing = await clearingOf(engine, model, names);
  requireNamed(clearing, acceptLoss);
  return clearing;
}

async function emptyFirst(
  engine: Engine,
  project: Project,
  model: Model,
  request: SeedRequest,
): Promise<string | undefined> {
  const clearing = await allowedClearing(engine, model, request);
  return clearEntities(engine, project, model, clearing, request.acceptLoss ?? []);
}

interface Filling extends SeedOrder {
  seed: number;
  files: SampleFiles;
  today: string;
  now: string;
}

async function fillEntities(
  engine: Engine,
  model: Model,
  { seed, counts, files, ...moment }: Filling,
  existingRows: ReadonlyMap<string, ExistingRows>,
  report: Report,
): Promise<void> {
  requirePossible(model, counts, existingRows, moment.today);
  const present = new Map<string, Present>();
  for (const entity of model.entities) {
    const existing = existingRows.get(entity.name);
    const count = counts.get(entity.name) ?? 0;
    if (existing) present.set(entity.name, await presentOf(engine, entity, count, existing));
  }
  const sampling = new Sampling(model, { seed, ...moment, counts, present, files });
  const filled: EntitySample[] = [];
  try {
    for (const sample of sampling.entities()) {
      if (sample.count === 0) continue;
      await fillEntity(engine, sample, moment.now, report);
      filled.push(sample);
    }
    for (const sample of filled) await fillReferences(engine, sampling, sample, report);
    // The rows were saved by now, and not a moment later.
    await holdToRules(engine, model, sampling, filled, { ...moment, now: now() });
    for (const { entity } of filled) await engine.filler.goOn(tableOf(entity.name));
  } catch (error) {
    if (error instanceof Unmakeable) throw unmakeableRow(error);
    throw error;
  }
}

/** Inserts the sample rows of an entity. */
async function fillEntity(
  engine: Engine,
  { entity, count, first, columns, rows }: EntitySample,
  moment: string,
  report: Report,
): Promise<void> {
  const on = `seeding ${entity.plural}`;
  report({ kind: "working", on });
  const table = tableOf(entity.name);
  await engine.filler.fill({ table, columns, first, moment }, told(rows(), count, on, report));
  await engine.noteSeeded(table, first, first + count - 1);
}

/** Fills in references to records that were inserted later. */
async function fillReferences(
  engine: Engine,
  sampling: Sampling,
  { entity, count, first }: EntitySample,
  report: Report,
): Promise<void> {
  for (const { table, columns, field, targets } of sampling.linksOf(entity)) {
    const [from, to] = columns;
    const pairs = function* () {
      for (let row = 0; row < count; row++) {
        for (const target of targets(row)) yield { [from]: first + row, [to]: target };
      }
    };
    const on = `seeding ${field.label} of ${entity.plural}`;
    report({ kind: "working", on });
    await engine.filler.fill({ table, columns }, pairs());
  }
  for (const { column, value } of sampling.lateOf(entity)) {
    const values = function* (): Generator<[number, Value]> {
      for (let row = 0; row < count; row++) {
        const target = value(row);
        if (target !== null) yield [first + row, target];
      }
    };
    await engine.filler.set(tableOf(entity.name), column, values());
  }
}

/** Reports progress now and then. */
export function* told<Row>(
  rows: Iterable<Row>,
  count: number,
  on: string,
  report: Report,
): Generator<Row> {
  let done = 0;
  for (const row of rows) {
    yield row;
    done++;
    if (done % 1000 === 0) report({ kind: "progress", on, rows: done, share: done / count });
  }
}

/** What sample rows of an entity need to know about existing rows. */
async function presentOf(
  engine: Engine,
  entity: Entity,
  count: number,
  { all, made }: ExistingRows,
): Promise<Present> {
  const table = tableOf(entity.name);
  const highest = count > 0 ? await engine.filler.highest(table) : 0;
  if (all === 0) return { ids: [], highest, made };
  const unique = new Set(entity.unique.flat());
  const held = seededFields(entity)
    .filter((field) => count > 0 && (field.unique || unique.has(field.name)))
    .map(columnOf);
  const columns = [...new Set([...held, ...lifetimeColumns(entity)])];
  const { quoted } = engine.dialect;
  const rows = await engine.migrations.rows<Record<string, Value>>(
    `select ${["id", ...columns].map(quoted).join(", ")} from ${quoted(table)} order by ${quoted("id")}`,
  );
  const lifetime = lifetimesOf(entity);
  return {
    ids: rows.map(({ id }) => Number(id)),
    ...(lifetime && { lifetimes: rows.map(lifetime) }),
    highest: Math.max(highest, Number(rows.at(-1)?.id ?? 0)),
    values: new Map(held.map((column) => [column, rows.map((row) => row[column] ?? null)])),
    made,
  };
}

/** Whether no entity has or ever had a row: someone who deleted all rows wants none invented. */
export async function isUntouched(project: Project, model: Model): Promise<boolean> {
  return withDatabase(project, async (engine) => {
    for (const { name } of model.entities) {
      if (!(await engine.isUntouched(tableOf(name)))) return false;
    }
    return true;
  });
}
