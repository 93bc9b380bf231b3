import { existsSync, rmSync } from "node:fs";
import { join, resolve } from "node:path";
import { todayIn } from "../../../kit/formula/clock.ts";
import { Failure } from "../../core/failure.ts";
import { isFiles } from "../../core/fields/files.ts";
import type { Model } from "../../core/model/model.ts";
import { Unmakeable } from "../../core/seeding/rows.ts";
import { Sampling } from "../../core/seeding/sampling.ts";
import type { Project } from "../../io/project/project.ts";
import { StagedFiles } from "../../io/project/staged-files.ts";
import type { Report } from "../report.ts";
import { unmakeableRow } from "./failures.ts";
import { fixedRowsOf, presentRows } from "./fixed-rows.ts";
import { orderOf, requirePossible, type SeedRequest, usualSeed } from "./order.ts";
import { readSeedingRecord, writeSeedingRecord } from "./record.ts";
import { filesInFolder } from "./sample-files.ts";
import { told } from "./seed.ts";
import { type FileFormat, KeyTexts, writers } from "./writers.ts";

/** What was written. */
export interface WrittenSeed {
  seed: number;
  today: string;
  files: string[];
  /** Rows by entity, those that are in the model included. */
  rows: Record<string, number>;
}

/**
 * Writes sample rows into files of a folder, without any database. The rows that the model's `seed` has are before
 * them. All files are written, or none.
 */
export async function seedFiles(
  project: Project,
  model: Model,
  request: SeedRequest,
  folder: string,
  format: FileFormat,
  report: Report,
): Promise<WrittenSeed> {
  const record = readSeedingRecord(project);
  const seed = request.seed ?? record.seed ?? usualSeed;
  const day = record.today ?? todayIn(model.app.timezone);
  const given = await fixedRowsOf(project, model);
  const existingRows = new Map(
    [...given].map(([name, { length }]) => [name, { all: length, made: 0, own: 0, samples: 0 }]),
  );
  const { counts, usual } = orderOf(model, existingRows, request, record, day);
  requirePossible(model, counts, existingRows, day);
  const present = new Map(
    model.entities.map((entity) => [
      entity.name,
      presentRows(entity, given.get(entity.name) ?? []),
    ]),
  );
  // Files are the same whenever they are written.
  const moment = `${day}T12:00:00Z`;
  const beside = join(resolve(folder), "files");
  if (
    model.entities.some(({ fields }) => fields.some(({ type }) => isFiles(type))) &&
    existsSync(beside)
  ) {
    const help = "name another folder with --to, or move it away";
    throw new Failure("input", `nothing was written: ${beside} is there already`, help);
  }
  const made = await filesInFolder(model, seed, counts, resolve(folder), format);
  const options = { seed, today: day, now: moment, counts, present, files: made };
  // The first pass collects what rows refer to; the second, identical one writes them.
  const known = new Sampling(model, options);
  const keys = new KeyTexts(model, format === "csv");
  const files = new StagedFiles(resolve(folder));
  const rows: Record<string, number> = {};
  try {
    for (const sample of known.entities()) {
      for (const { row } of given.get(sample.entity.name) ?? []) keys.add(sample.entity, row);
      for (const row of sample.rows()) keys.add(sample.entity, row);
    }
    const writer = writers[format]({ model, files, sampling: known, keys, moment });
    for (const sample of new Sampling(model, options).entities()) {
      const before = given.get(sample.entity.name) ?? [];
      const count = before.length + sample.count;
      if (count === 0) continue;
      const on = `writing ${sample.entity.plural}`;
      report({ kind: "working", on });
      writer.entity(sample, before, told(sample.rows(), count, on, report));
      rows[sample.entity.name] = count;
      report({ kind: "written", entity: sample.entity.plural, rows: count });
    }
    writer.end();
    const kept = files.keep();
    writeSeedingRecord(project, {
      ...record,
      seed,
      today: day,
      rows: { ...record.rows, ...usual },
    });
    return { seed, today: day, files: kept, rows };
  } catch (error) {
    files.drop();
    rmSync(beside, { recursive: true, force: true });
    if (error instanceof Unmakeable) throw unmakeableRow(error);
    throw error;
  }
}
