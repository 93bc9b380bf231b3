import {
  applyMigrations,
  isPending,
  type MigrationDone,
  type MigrationStatus,
  migrationStatuses,
  refuseMismatch,
  rewindMigration,
  settleHalfWay,
} from "../../kit/database/migrations.ts";
import { missingKept, requireWay } from "../../kit/database/running.ts";
import { Failure } from "../core/failure.ts";
import type { Model } from "../core/model/model.ts";
import { dialectOf } from "../core/sql/dialects.ts";
import type { Engine } from "../io/engines/engine.ts";
import {
  type MigrationFolder,
  readMigrations,
  renameMigration,
  writeMissing,
} from "../io/project/migrations.ts";
import type { Project } from "../io/project/project.ts";
import { createDatabase, hasDatabase, withDatabase } from "./database.ts";
import type { Report } from "./report.ts";
import { settleSitting } from "./sitting.ts";

/** What was applied, and what was taken back. */
export interface Migrated {
  applied: MigrationDone[];
  rewound: MigrationDone[];
}

/** Brings the database to the newest migration, or to a named one, in either direction. */
export async function migrateProject(
  project: Project,
  model: Model,
  report: Report,
  to?: string,
): Promise<Migrated> {
  await createDatabase(project);
  return withDatabase(project, async (engine) => {
    report({ kind: "working", on: "applying migrations" });
    await settleSitting(project, engine);
    const migrations = readMigrations(project, dialectOf(model));
    writeMissing(project, dialectOf(model), migrations);
    const goal = to === undefined ? undefined : named(migrations, to);
    const settled = await settleHalfWay(engine.migrations, migrations, options(project, report));
    const rewound =
      to === undefined ? [] : await rewindTo(engine, migrations, goal, { project, report });
    const applied = settled?.direction === "forward" ? [settled.done] : [];
    const rest = await applyMigrations(engine.migrations, migrations, {
      ...options(project, report),
      ...(to !== undefined && { upTo: goal ?? "" }),
    });
    applied.push(...rest);
    for (const { name, findings } of applied) report({ kind: "applied", name, findings });
    return { applied, rewound };
  });
}

/** Takes the newest migrations back, one or several. */
export async function rewindProject(
  project: Project,
  model: Model,
  report: Report,
  count = 1,
): Promise<MigrationDone[]> {
  if (!(await hasDatabase(project))) {
    throw new Failure("input", "there is no database yet, so nothing can be taken back");
  }
  return withDatabase(project, async (engine) => {
    await settleSitting(project, engine);
    const migrations = readMigrations(project, dialectOf(model));
    // What a run that died was taking back counts as one of those to take back.
    const settled = await settleHalfWay(engine.migrations, migrations, options(project, report));
    const done = settled?.direction === "back" ? [settled.done] : [];
    for (const rewound of done) report({ kind: "rewound", ...rewound });
    const applied = await appliedNames(engine, migrations);
    if (done.length === count) return done;
    if (applied.length === 0) throw new Failure("input", "no migration is applied");
    const goal = applied.at(-1 - (count - done.length));
    return [...done, ...(await rewindTo(engine, migrations, goal, { project, report }))];
  });
}

async function rewindTo(
  engine: Engine,
  migrations: readonly MigrationFolder[],
  goal: string | undefined,
  { project, report }: { project: Project; report: Report },
): Promise<MigrationDone[]> {
  const statuses = await migrationStatuses(engine.migrations, migrations);
  refuseMismatch(statuses);
  const going = migrations
    .filter(({ name }) => goal === undefined || name > goal)
    .filter(({ name }) =>
      statuses.some((each) => each.name === name && each.line && !isPending(each)),
    )
    .reverse();
  for (const migration of going) {
    const line = statuses.find(({ name }) => name === migration.name)?.line;
    requireWay(migration.back);
    const [missing] = missingKept(migration.back, line?.kept ?? null, project.kept);
    if (!missing) continue;
    throw new Failure(
      "outside",
      `${migration.name} can't be taken back: what it threw away is not in ${missing}`,
      "bring that file back, or take the lines that need it out of the migration's back script",
    );
  }
  const done: MigrationDone[] = [];
  for (const migration of going) {
    const rewound = await rewindMigration(engine.migrations, migration, options(project, report));
    report({ kind: "rewound", ...rewound });
    done.push(rewound);
  }
  return done;
}

function options(project: Project, report: Report) {
  return {
    keptFolder: project.kept,
    progress: (name: string, part: number, of: number) =>
      report({ kind: "working", on: `${name}: part ${part} of ${of}` }),
  };
}

async function appliedNames(
  engine: Engine,
  migrations: readonly MigrationFolder[],
): Promise<string[]> {
  const statuses = await migrationStatuses(engine.migrations, migrations);
  return statuses.filter(({ standing }) => standing === "applied").map(({ name }) => name);
}

/** The name of a migration that was named by its number, or in full; undefined for 0, which is before the first. */
function named(migrations: readonly MigrationFolder[], to: string): string | undefined {
  const number = /^\d{1,4}$/.test(to) ? to.padStart(4, "0") : undefined;
  if (number === "0000") return undefined;
  const found = migrations.find(
    ({ name }) => name === to || (number !== undefined && name.startsWith(`${number}-`)),
  );
  if (found) return found.name;
  throw new Failure(
    "usage",
    `there is no migration ${to}`,
    `there are ${migrations.map(({ name }) => name).join(", ") || "none"}; 0 is before the first`,
  );
}

/**
 * Gives pending migrations numbers after all that are applied, and after each other, in the order of
 * their names. Gives the old and the new names.
 */
export async function putInOrder(
  project: Project,
  model: Model,
): Promise<{ from: string; to: string }[]> {
  const migrations = readMigrations(project, dialectOf(model));
  const statuses = await migrationHistory(project, model);
  const applied = statuses.filter((status) => !isPending(status)).map(({ name }) => name);
  let last = Math.max(0, ...applied.map((name) => Number(name.slice(0, 4))));
  const moved: { from: string; to: string }[] = [];
  for (const { name } of migrations.filter((each) => !applied.includes(each.name))) {
    const number = Math.max(last + 1, Number(name.slice(0, 4)));
    last = number;
    const to = String(number).padStart(4, "0") + name.slice(4);
    if (to !== name) moved.push({ from: name, to });
  }
  // The last ones first, so that none takes a name that is still in use.
  for (const { from, to } of moved.toReversed()) renameMigration(project, from, to);
  return moved;
}

/** How each migration stands in the database of a project. */
export async function migrationHistory(project: Project, model: Model): Promise<MigrationStatus[]> {
  const migrations = readMigrations(project, dialectOf(model));
  // Looking at the history makes no database.
  if (!(await hasDatabase(project))) {
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
  const pending = statuses.filter(isPending);
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
