import { existsSync } from "node:fs";
import { basename, resolve } from "node:path";
import { databaseFile } from "../../kit/database/location.ts";
import { LedgerMismatch } from "../../kit/database/migrations.ts";
import { NoWay, RowsInTheWay } from "../../kit/database/running.ts";
import { Failure } from "../core/failure.ts";
import type { Model } from "../core/model/model.ts";
import type { Dialect } from "../core/sql/dialect.ts";
import { sqlite } from "../core/sql/sqlite/sqlite.ts";
import type { LoadingEngine } from "../io/engines/engine.ts";
import { databaseFailure, openSqlite } from "../io/engines/sqlite/engine.ts";
import type { Project } from "../io/project/project.ts";

/** The dialect of a project's database. */
export function dialectOf(_model: Model): Dialect {
  return sqlite;
}

/** The file of a project's database: DATABASE_URL, or the one in its folder. */
export function databaseOf(project: Project): string {
  try {
    return resolve(databaseFile(project.database));
  } catch (error) {
    throw new Failure("usage", (error as Error).message);
  }
}

/** What people call the database of a project. */
export function databaseName(project: Project): string {
  return basename(databaseOf(project));
}

/** Whether the database of a project is there. */
export function hasDatabase(project: Project): boolean {
  return existsSync(databaseOf(project));
}

/** Opens the database of a project. */
export function openDatabase(project: Project): LoadingEngine {
  return openSqlite(databaseOf(project));
}

/** Does something with the database of a project, and closes it; errors of the driver become failures. */
export async function withDatabase<Result>(
  project: Project,
  work: (engine: LoadingEngine) => Promise<Result>,
): Promise<Result> {
  const engine = openDatabase(project);
  try {
    return await work(engine);
  } catch (error) {
    if (error instanceof Failure) throw error;
    if (error instanceof LedgerMismatch) throw new Failure("input", error.message);
    if (error instanceof NoWay) throw new Failure("input", error.message);
    if (error instanceof RowsInTheWay) {
      throw new Failure(
        "input",
        `nothing was changed, because ${error.message}`,
        "correct these rows, or change the model; `levadura changes` shows what stands in the way",
      );
    }
    throw databaseFailure(engine.place, error);
  } finally {
    await engine.close();
  }
}
