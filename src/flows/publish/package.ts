import { existsSync, readFileSync } from "node:fs";
import { join, relative } from "node:path";
import { unfitFor } from "../../core/evolution/fitting.ts";
import { replay } from "../../core/evolution/steps.ts";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import type { Package } from "../../io/host/published.ts";
import { version } from "../../io/package.ts";
import { type MigrationFolder, readMigrations, withAgain } from "../../io/project/migrations.ts";
import type { Project } from "../../io/project/project.ts";
import { type PackedFile, packApplication } from "../../io/runner/pack.ts";
import { planBuild } from "../build/plan.ts";
import { pendingChanges } from "../changes/changes.ts";
import { pictureFiles } from "../check/pictures.ts";
import { aloneOn } from "../lock.ts";
import type { Report } from "../report.ts";

/** A package of an application in a folder, and what a host is told of it. */
export interface Packed {
  folder: string;
  described: Package;
}

/**
 * Packs the application of a project for a platform: from the folder, it runs with Node alone. Throws where the application or the migrations
 * aren't what the model says.
 */
export function packProject(
  project: Project,
  model: Model,
  platform: string,
  report: Report,
): Promise<Packed> {
  return aloneOn(project, "publish", async () => {
    report({ kind: "working", on: "packing the application" });
    requireBuilt(project);
    // Looked at while it is bundled; a package that isn't current goes nowhere.
    const isCurrent = requireCurrent(project, model);
    isCurrent.catch(() => undefined);
    const folder = join(project.run, "packed");
    const migrations = readMigrations(project, dialectOf(model));
    const files = await packApplication(project, folder, platform, [
      { path: "package.json", text: packageJson(model) },
      { path: "model.yaml", from: project.model },
      ...picturesOf(project),
      ...migrations.flatMap((migration, at) =>
        scriptsOf(project, model, migration, migrations.slice(0, at)),
      ),
    ]);
    await isCurrent;
    const described: Package = {
      title: model.app.name,
      database: model.app.database,
      signsIn: model.users !== undefined,
      platform,
      levadura: version,
      migrations: migrations.map(({ name, steps }) => ({
        name,
        fits: unfitFor(steps).length === 0,
      })),
      files,
    };
    return { folder, described };
  });
}

/** Throws where building or preparing would still change something: what is published is what the model says. */
async function requireCurrent(project: Project, model: Model): Promise<void> {
  if (pendingChanges(project, model).steps.length > 0) {
    throw new Failure(
      "input",
      "the model has changes that no migration has",
      "run `levadura prepare`; `levadura changes` shows them",
    );
  }
  const { changes } = await planBuild(project, model);
  const open = changes.filter(({ state }) => !settled.has(state));
  if (open.length === 0) return;
  throw new Failure(
    "input",
    `app/ isn't up to date: ${open.length === 1 ? `app/${open[0]?.path}` : `${open.length} files`} would change`,
    "run `levadura build`; `levadura build --diff` shows what it would do",
  );
}

function requireBuilt({ app }: Project): void {
  if (existsSync(join(app, "src", "main.ts"))) return;
  throw new Failure("input", "there is no application yet", "run `levadura build`");
}

/** States of files that building again doesn't change. */
const settled: ReadonlySet<string> = new Set(["kept", "deleted", "conflict"]);

function packageJson({ app }: Model): string {
  const scripts = {
    migrate: "node dist/migrate.mjs",
    start: "npm run migrate && node dist/main.mjs",
  };
  const engines = { node: ">=20.12" };
  const content = { description: app.name, private: true, type: "module", engines, scripts };
  return `${JSON.stringify(content, null, 2)}\n`;
}

function picturesOf(project: Project): PackedFile[] {
  const text = readFileSync(project.model, "utf8");
  return pictureFiles(text, project.root)
    .filter((file) => existsSync(file))
    .map((file) => ({ path: relative(project.root, file).split("\\").join("/"), from: file }));
}

/** The scripts of a migration for its database, and the one that brings back what reverting it deleted. */
function scriptsOf(
  project: Project,
  model: Model,
  migration: MigrationFolder,
  before: readonly MigrationFolder[],
): PackedFile[] {
  const dialect = dialectOf(model);
  const { name, forward, back } = migration;
  const at = `migrations/${name}`;
  const { again } = withAgain(migration, dialect, replay(before.flatMap(({ steps }) => steps)));
  return [
    { path: `${at}/steps.yaml`, from: join(project.migrations, name, "steps.yaml") },
    { path: `${at}/forward.${dialect.name}.sql`, text: forward },
    { path: `${at}/back.${dialect.name}.sql`, text: back },
    ...(again === undefined ? [] : [{ path: `${at}/again.${dialect.name}.sql`, text: again }]),
  ];
}
