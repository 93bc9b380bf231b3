import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { databaseFile } from "../../kit/database/location.ts";
import {
  applyMigrations,
  LedgerMismatch,
  type MigrationStatus,
  migrationStatuses,
  refuseMismatch,
} from "../../kit/database/migrations.ts";
import { Failure } from "../core/failure.ts";
import type { Model } from "../core/model/model.ts";
import type { Engine } from "../io/engines/engine.ts";
import { databaseFailure, openSqlite } from "../io/engines/sqlite/engine.ts";
import { readMigrations } from "../io/project/migrations.ts";
import type { Project } from "../io/project/project.ts";
import { dialectOf } from "./draft.ts";
import type { Report } from "./report.ts";
import { settleSitting } from "./sitting.ts";

/** The file of a project's database: DATABASE_URL, or the one in its folder. */
export function databaseOf(project: Project): string {
  try {
    return resolve(databaseFile(project.database));
  } catch (error) {
    throw new Failure("usage", (error as Error).message);
  }
}

/** Opens the database of a project. */
export function openDatabase(project: Project): Engine {
  return openSqlite(databaseOf(project));
}

/** Does something with the database of a project, and closes it; errors of the driver become failures. */
export async function withDatabase<Result>(
  project: Project,
  work: (engine: Engine) => Promise<Result>,
): Promise<Result> {
  const engine = openDatabase(project);
  try {
    return await work(engine);
  } catch (error) {
    if (error instanceof Failure) throw error;
    if (error instanceof LedgerMismatch) throw new Failure("input", error.message);
    throw databaseFailure(engine.place, error);
  } finally {
    await engine.close();
  }
}

/** Applies what is pending. Gives the names. */
export async function migrateProject(
  project: Project,
  model: Model,
  report: Report,
): Promise<string[]> {
  return withDatabase(project, async (engine) => {
    report({ kind: "working", on: "applying migrations" });
    await settleSitting(project, engine);
    const migrations = readMigrations(project, dialectOf(model));
    const done = await applyMigrations(engine.migrations, migrations);
    for (const { name } of done) report({ kind: "applied", name });
    return done.map(({ name }) => name);
  });
}

/** How each migration stands in the database of a project. */
export async function migrationHistory(project: Project, model: Model): Promise<MigrationStatus[]> {
  const migrations = readMigrations(project, dialectOf(model));
  // Looking at the history makes no database.
  if (!existsSync(databaseOf(project))) {
    return migrations.map(({ name }) => ({ name, standing: "pending" }));
  }
  return withDatabase(project, (engine) => migrationStatuses(engine.migrations, migrations));
}

/** Throws where the database isn't at the newest migration. */
export async function requireMigrated(project: Project, model: Model): Promise<void> {
  const statuses = await migrationHistory(project, model);
  try {
    refuseMismatch(statuses);
  } catch (error) {
    throw new Failure("input", (error as Error).message);
  }
  const pending = statuses.filter(({ standing }) => standing === "pending");
  if (pending.length === 0 && statuses.length > 0) return;
  throw new Failure(
    "input",
    statuses.length === 0
      ? "there are no migrations yet"
      : `the database lacks ${pending.map(({ name }) => name).join(", ")}`,
    statuses.length === 0
      ? "run `levadura draft`, then `levadura migrate`"
      : "run `levadura migrate`",
  );
}
