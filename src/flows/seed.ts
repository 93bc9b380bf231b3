import { join } from "node:path";
import { now, today } from "../../kit/time.ts";
import { Failure } from "../core/failure.ts";
import type { Model } from "../core/model/model.ts";
import { tableOf } from "../core/schema/from-model.ts";
import { seedEntity, seedingPlan } from "../core/seeding/rows.ts";
import type { Engine } from "../io/engines/engine.ts";
import { readText, writeAll } from "../io/project/files.ts";
import type { Project } from "../io/project/project.ts";
import { withDatabase } from "./database.ts";
import { requireMigrated } from "./migrate.ts";
import type { Report } from "./report.ts";
import { holdsToRules, requireRules } from "./row-rules.ts";

/** What was seeded: rows by entity, and those that had rows already. */
export interface Seeded {
  seed: number;
  rows: Record<string, number>;
  skipped: string[];
}

/** Fills every entity that has no rows. All of it is done, or nothing. */
export async function seedProject(
  project: Project,
  model: Model,
  seed: number,
  report: Report,
): Promise<Seeded> {
  await requireMigrated(project, model);
  const day = referenceDay(project);
  return withDatabase(project, (engine) =>
    engine.transaction(async () => seedAll(engine, model, { seed, today: day }, report)),
  );
}

async function seedAll(
  engine: Engine,
  model: Model,
  { seed, today: day }: { seed: number; today: string },
  report: Report,
): Promise<Seeded> {
  const records = new Map<string, readonly number[]>();
  const seeded: Seeded = { seed, rows: {}, skipped: [] };
  const moments = { today: day, now: now() };
  for (const { entity } of seedingPlan(model)) {
    records.set(entity.name, await engine.ids(tableOf(entity.name)));
  }
  for (const { entity, count } of seedingPlan(model)) {
    if ((records.get(entity.name)?.length ?? 0) > 0) {
      seeded.skipped.push(entity.name);
      continue;
    }
    report({ kind: "working", on: `seeding ${entity.plural}` });
    const holds = holdsToRules(model, entity, moments);
    const { rows, links } = seedEntity(entity, count, { seed, today: day, records, holds });
    if (rows.length === 0) {
      throw new Failure(
        "input",
        `no row for ${entity.name} could be made that holds to its own rules`,
        "look at its ranges, and at what it requires",
      );
    }
    const moment = now();
    const stamped = rows.map((row) => ({ ...row, created_at: moment, updated_at: moment }));
    const ids = await engine.insert(tableOf(entity.name), stamped);
    await engine.noteSeeded(tableOf(entity.name), ids[0] ?? 0, ids.at(-1) ?? 0);
    records.set(entity.name, ids);
    for (const { table, from, to, pairs } of links) {
      const numbered = pairs.map(([row, target]) => [ids[row] ?? 0, target] as const);
      await engine.insertPairs(table, [from, to], numbered);
    }
    seeded.rows[entity.name] = rows.length;
    report({ kind: "seeded", entity: entity.plural, rows: rows.length });
  }
  const made = model.entities.filter(({ name }) => seeded.rows[name] !== undefined);
  // The rows were saved by now, and not a moment later.
  const saved = { ...moments, now: now() };
  await requireRules(
    engine,
    model,
    made,
    saved,
    "no sample row was kept: give it rows of your own",
  );
  return seeded;
}

/** The day from which sample dates count back: written down the first time, so that the rows stay the same. */
function referenceDay(project: Project): string {
  const path = join(project.record, "seeding.json");
  try {
    const known = JSON.parse(readText(path) ?? "") as { today?: unknown };
    if (typeof known.today === "string" && /^\d{4}-\d{2}-\d{2}$/.test(known.today))
      return known.today;
  } catch {
    // There is no such file yet.
  }
  const day = today();
  writeAll([{ path, text: `${JSON.stringify({ today: day })}\n` }]);
  return day;
}

/** Whether no entity has a row or ever had one: a person who deleted all rows wants none invented. */
export async function isUntouched(project: Project, model: Model): Promise<boolean> {
  return withDatabase(project, async (engine) => {
    for (const { name } of model.entities) {
      if (!(await engine.isUntouched(tableOf(name)))) return false;
    }
    return true;
  });
}
