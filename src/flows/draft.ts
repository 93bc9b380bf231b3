import { type Difference, difference } from "../core/evolution/difference.ts";
import { describeStep, nameStep, replay, type Step } from "../core/evolution/steps.ts";
import { Failure } from "../core/failure.ts";
import type { Model } from "../core/model/model.ts";
import { schemaOf } from "../core/schema/from-model.ts";
import type { Dialect } from "../core/sql/dialect.ts";
import { sqlite } from "../core/sql/sqlite/sqlite.ts";
import {
  type MigrationFolder,
  migrationOf,
  nextName,
  readMigrations,
  writeMigration,
} from "../io/project/migrations.ts";
import type { Project } from "../io/project/project.ts";

/** The dialect of a project's database. */
export function dialectOf(_model: Model): Dialect {
  return sqlite;
}

/** What lies between a project's migrations and its model. */
export function pendingChanges(
  project: Project,
  model: Model,
): Difference & { migrations: MigrationFolder[] } {
  const migrations = readMigrations(project, dialectOf(model));
  const reached = replay(migrations.flatMap(({ steps }) => steps));
  return { migrations, ...difference(reached, schemaOf(model)) };
}

/** A migration that was written. */
export interface Drafted {
  name: string;
  steps: string[];
}

/** Writes the next migration; undefined when the migrations have all of the model. */
export function draftMigration(
  project: Project,
  model: Model,
  words?: string,
): Drafted | undefined {
  const { migrations, steps, waiting } = pendingChanges(project, model);
  if (waiting.length > 0) throw waitingFailure(waiting.map(({ message }) => message));
  if (steps.length === 0) return undefined;
  const name = nextName(migrations, words ?? nameFor(migrations, steps));
  const dialect = dialectOf(model);
  writeMigration(project, dialect, migrationOf(name, steps, dialect));
  return { name, steps: steps.map(describeStep) };
}

/** Changes that no migration is written for yet. */
function waitingFailure(changes: string[]): Failure {
  return new Failure(
    "input",
    `nothing was drafted: ${changes.length === 1 ? "a change" : `${changes.length} changes`} of the model could touch rows that are there:\n${changes
      .map((change) => `  - ${change}`)
      .join("\n")}`,
    "a migration can add entities, and fields that may be empty; take the other changes back for now",
  );
}

/** A name for a migration after the first thing that it does. */
export function nameFor(migrations: readonly MigrationFolder[], steps: readonly Step[]): string {
  const [step] = steps;
  return migrations.length === 0 || !step ? "begin" : nameStep(step);
}
