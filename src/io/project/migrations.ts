import { existsSync, readdirSync, renameSync, rmSync } from "node:fs";
import { join } from "node:path";
import type { Migration } from "../../../kit/migrations/migrations.ts";
import { inverseOf, reapplied } from "../../core/evolution/inverse.ts";
import { replay, type Step } from "../../core/evolution/steps.ts";
import { parseSteps, printSteps } from "../../core/evolution/steps-yaml.ts";
import { Failure } from "../../core/failure.ts";
import type { Schema } from "../../core/schema/schema.ts";
import type { Dialect } from "../../core/sql/dialect.ts";
import { printScript } from "../../core/sql/script.ts";
import { fileFailure, readText, writeAll } from "./files.ts";
import type { Project } from "./project.ts";

/** A migration as stored in its folder. */
export interface MigrationFolder extends Migration {
  steps: Step[];
  /** Whether its scripts for this database were only made now, of its steps. */
  unwritten?: true;
}

/** The migrations of a project, in order. */
export function readMigrations(project: Project, dialect: Dialect): MigrationFolder[] {
  const migrations: MigrationFolder[] = [];
  const before = () => replay(migrations.flatMap(({ steps }) => steps));
  for (const name of migrationNames(project)) {
    migrations.push(readFolder(project, dialect, name, before));
  }
  return migrations;
}

/** The migrations of a project as an application has them: their steps, which take long to be read, are left out. */
export function readScripts(project: Project, dialect: Dialect): Migration[] {
  const scripts = migrationNames(project).map((name) => {
    const read = (direction: string) =>
      readText(join(project.migrations, name, `${direction}.${dialect.name}.sql`));
    return { name, forward: read("forward"), back: read("back") };
  });
  const whole = scripts.flatMap(({ name, forward, back }) =>
    forward === undefined || back === undefined ? [] : { name, forward, back },
  );
  return whole.length === scripts.length ? whole : readMigrations(project, dialect);
}

function migrationNames(project: Project): string[] {
  if (!existsSync(project.migrations)) return [];
  return readdirSync(project.migrations, { withFileTypes: true })
    .filter((entry) => entry.isDirectory() && /^\d{4}-/.test(entry.name))
    .map(({ name }) => name)
    .filter((name) => name !== project.skipped)
    .sort();
}

/** A migration as it is in its folder; its scripts are made of its steps where it has none for this database. */
function readFolder(
  project: Project,
  dialect: Dialect,
  name: string,
  before?: () => Schema,
): MigrationFolder {
  const has = (file: string) => existsSync(join(project.migrations, name, file));
  const read = (file: string): string => {
    const text = readText(join(project.migrations, name, file));
    if (text !== undefined) return text;
    throw new Failure(
      "input",
      `migrations/${name} lacks the file ${file}`,
      "fetch it from version control again",
    );
  };
  const parsed = parseSteps(read("steps.yaml"));
  if ("reason" in parsed) {
    throw new Failure(
      "input",
      `migrations/${name}/steps.yaml can't be read: ${parsed.reason}`,
      "correct it, or undo the last edit",
    );
  }
  const { steps } = parsed;
  const scripts = ["forward", "back"].map((direction) => `${direction}.${dialect.name}.sql`);
  const others = readdirSync(join(project.migrations, name)).some((file) =>
    /^forward\.\w+\.sql$/.test(file),
  );
  if (before && others && !scripts.some(has)) {
    return { ...migrationOf(name, steps, dialect, before()), unwritten: true };
  }
  return {
    name,
    steps,
    forward: read(`forward.${dialect.name}.sql`),
    back: read(`back.${dialect.name}.sql`),
  };
}

/**
 * A migration with the script that takes it once more after it was reverted. SQL that was edited has none: what
 * somebody wrote is run as it is.
 */
export function withAgain(
  migration: MigrationFolder,
  dialect: Dialect,
  before: Schema,
): MigrationFolder {
  const made = migrationOf(migration.name, migration.steps, dialect, before);
  const untouched = made.forward === migration.forward && made.back === migration.back;
  return untouched && made.again ? { ...migration, again: made.again } : migration;
}

/** A migration made of steps, from the schema that the ones before it lead to. */
export function migrationOf(
  name: string,
  steps: readonly Step[],
  dialect: Dialect,
  before: Schema,
): MigrationFolder {
  const undo = inverseOf(steps);
  const again = reapplied(steps);
  // By its number a step is found in either script, where each is reverted by itself.
  const numbers = dialect.transactional ? undefined : steps.map((_, at) => at + 1);
  return {
    name,
    steps: [...steps],
    forward: printScript(dialect.sections(steps, before), numbers),
    back: printScript(dialect.sections(undo, replay(steps, before)), numbers?.toReversed()),
    again: printScript(dialect.sections(again, before), numbers),
  };
}

function writeFolder(
  { root }: Project,
  folder: string,
  dialect: Dialect,
  migration: MigrationFolder,
): void {
  const files = [
    { path: join(folder, "steps.yaml"), text: printSteps(migration.steps) },
    { path: join(folder, `forward.${dialect.name}.sql`), text: migration.forward },
    { path: join(folder, `back.${dialect.name}.sql`), text: migration.back },
  ];
  writeAll(files, root);
}

/** Writes the scripts that migrations lack for a database. */
export function writeMissing(
  project: Project,
  dialect: Dialect,
  migrations: readonly MigrationFolder[],
): void {
  for (const { name, forward, back, unwritten } of migrations) {
    if (!unwritten) continue;
    const folder = join(project.migrations, name);
    const files = [
      { path: join(folder, `forward.${dialect.name}.sql`), text: forward },
      { path: join(folder, `back.${dialect.name}.sql`), text: back },
    ];
    writeAll(files, project.root);
  }
}

const staging = ".staged-";

/** Where a migration is staged, so that its folder appears complete or not at all. */
function stagingFolder(project: Project, name: string): string {
  return join(project.migrations, staging + name);
}

/** Writes the folder of a new migration. */
export function writeMigration(
  project: Project,
  dialect: Dialect,
  migration: MigrationFolder,
): void {
  stageMigration(project, dialect, migration);
  promoteStaged(project, migration.name);
}

/** Lays a migration ready, beside the folder whose place it is to take. */
export function stageMigration(
  project: Project,
  dialect: Dialect,
  migration: MigrationFolder,
): void {
  dropStaged(project);
  writeFolder(project, stagingFolder(project, migration.name), dialect, migration);
}

/** The staged migration, if it is complete; undefined otherwise. */
export function stagedMigration(project: Project, dialect: Dialect): MigrationFolder | undefined {
  const [folder] = stagedFolders(project);
  if (folder === undefined) return undefined;
  try {
    return { ...readFolder(project, dialect, folder), name: folder.slice(staging.length) };
  } catch {
    return undefined;
  }
}

/** Moves the staged migration into place. */
export function promoteStaged(project: Project, name: string): void {
  const place = join(project.migrations, name);
  const before = join(project.migrations, ".before");
  try {
    if (existsSync(place)) {
      rmSync(before, { recursive: true, force: true });
      renameSync(place, before);
    }
    renameSync(stagingFolder(project, name), place);
    rmSync(before, { recursive: true, force: true });
  } catch (error) {
    throw fileFailure("write", place, error);
  }
}

/** Removes whatever is staged. */
export function dropStaged(project: Project): void {
  for (const folder of stagedFolders(project)) {
    rmSync(join(project.migrations, folder), { recursive: true, force: true });
  }
}

function stagedFolders(project: Project): string[] {
  if (!existsSync(project.migrations)) return [];
  return readdirSync(project.migrations).filter((name) => name.startsWith(staging));
}

/** Returns the folder of a migration another name. */
export function renameMigration(project: Project, from: string, to: string): void {
  try {
    renameSync(join(project.migrations, from), join(project.migrations, to));
  } catch (error) {
    throw fileFailure("write", join(project.migrations, to), error);
  }
}

/** The name of the migration after these: `0003-queen-colour`. */
export function nextName(migrations: readonly MigrationFolder[], words: string): string {
  const last = Number(migrations.at(-1)?.name.slice(0, 4) ?? 0);
  return `${String(last + 1).padStart(4, "0")}-${words}`;
}
