import { existsSync, readdirSync } from "node:fs";
import { join } from "node:path";
import type { Migration } from "../../../kit/database/migrations.ts";
import { parseSteps, printSteps } from "../../core/evolution/document.ts";
import type { Step } from "../../core/evolution/steps.ts";
import { Failure } from "../../core/failure.ts";
import { type Dialect, script } from "../../core/sql/dialect.ts";
import { readText, type Write } from "./files.ts";
import type { Project } from "./project.ts";

/** A migration as its folder holds it. */
export interface MigrationFolder extends Migration {
  steps: Step[];
  back: string;
}

/** The migrations of a project, in order. */
export function readMigrations(project: Project, dialect: Dialect): MigrationFolder[] {
  if (!existsSync(project.migrations)) return [];
  return readdirSync(project.migrations, { withFileTypes: true })
    .filter((entry) => entry.isDirectory() && /^\d{4}-/.test(entry.name))
    .map(({ name }) => readFolder(project, dialect, name))
    .sort((a, b) => (a.name < b.name ? -1 : 1));
}

function readFolder(project: Project, dialect: Dialect, name: string): MigrationFolder {
  const read = (file: string): string => {
    const text = readText(join(project.migrations, name, file));
    if (text !== undefined) return text;
    throw new Failure(
      "input",
      `migrations/${name} lacks the file ${file}`,
      "fetch it from version control again",
    );
  };
  const steps = parseSteps(read("steps.yaml"));
  if (!steps) {
    throw new Failure(
      "input",
      `migrations/${name}/steps.yaml can't be understood`,
      "take the last edit of it back",
    );
  }
  return {
    name,
    steps,
    sql: read(`forward.${dialect.name}.sql`),
    back: read(`back.${dialect.name}.sql`),
  };
}

/** A migration made of steps. */
export function migrationOf(
  name: string,
  steps: readonly Step[],
  dialect: Dialect,
): MigrationFolder {
  return {
    name,
    steps: [...steps],
    sql: script(steps.flatMap((step) => dialect.forward(step))),
    back: script(steps.toReversed().flatMap((step) => dialect.back(step))),
  };
}

/** The files of a migration's folder. */
export function migrationWrites(
  project: Project,
  dialect: Dialect,
  migration: MigrationFolder,
): Write[] {
  const folder = join(project.migrations, migration.name);
  return [
    { path: join(folder, "steps.yaml"), text: printSteps(migration.steps) },
    { path: join(folder, `forward.${dialect.name}.sql`), text: migration.sql },
    { path: join(folder, `back.${dialect.name}.sql`), text: migration.back },
  ];
}

/** The name of the migration after these: `0003-queen-colour`. */
export function nextName(migrations: readonly MigrationFolder[], words: string): string {
  const last = Number(migrations.at(-1)?.name.slice(0, 4) ?? 0);
  return `${String(last + 1).padStart(4, "0")}-${words}`;
}
