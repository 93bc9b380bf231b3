import {
  applyMigrations,
  isPending,
  type MigrationDone,
  type MigrationStatus,
  migrationStatuses,
  refuseMismatch,
  rewindMigration,
  settleHalfWay,
} from "../../../kit/migrations/migrations.ts";
import { missingKept, requireWay } from "../../../kit/migrations/script-runner.ts";
import { replay } from "../../core/evolution/steps.ts";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import type { Engine } from "../../io/engines/engine.ts";
import {
  type MigrationFolder,
  readMigrations,
  renameMigration,
  withAgain,
  writeMissing,
} from "../../io/project/migrations.ts";
import type { Project } from "../../io/project/project.ts";
import { createDatabase, hasDatabase, withDatabase } from "../database.ts";
import type { Report } from "../report.ts";
import { settleAmendment } from "../rise/amend-migration.ts";
import { type Loss, lossesOf } from "./losses.ts";

/** What was applied, and what was reverted. */
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
    await settleAmendment(project, engine);
    const migrations = await withComebacks(engine, readMigrations(project, dialectOf(model)));
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

/** Migrations, with the scripts that restore the data that was deleted when they were reverted, where they were. */
async function withComebacks(
  engine: Engine,
  migrations: readonly MigrationFolder[],
): Promise<MigrationFolder[]> {
  const taken = (await engine.hasTable("levadura_taken_back"))
    ? await engine.migrations.rows<{ name: string }>("select name from levadura_taken_back")
    : [];
  const names = new Set(taken.map(({ name }) => name));
  return migrations.map((migration, at) => {
    if (!names.has(migration.name)) return migration;
    const before = replay(migrations.slice(0, at).flatMap(({ steps }) => steps));
    return withAgain(migration, engine.dialect, before);
  });
}

/** Which migrations to revert: a number of the newest ones, or all down to a named one. */
export type RewindRequest = { count: number } | { downTo: string } | undefined;

/** What taking migrations back would delete. */
export async function rewindLosses(
  project: Project,
  model: Model,
  request: RewindRequest,
): Promise<Loss[]> {
  return withDatabaseOf(project, async (engine) => {
    const migrations = readMigrations(project, dialectOf(model));
    // A run that was killed is continued first.
    if (await engine.migrations.journal?.open()) return [];
    const statuses = await migrationStatuses(engine.migrations, migrations);
    const goal = rewindGoal(migrations, statuses, request);
    return lossesOf(engine, migrations, goingBack(migrations, statuses, goal));
  });
}

/** What reverting to an earlier migration would delete. */
export async function migrateLosses(project: Project, model: Model, to: string): Promise<Loss[]> {
  if (!(await hasDatabase(project))) return [];
  return withDatabase(project, async (engine) => {
    const migrations = readMigrations(project, dialectOf(model));
    if (await engine.migrations.journal?.open()) return [];
    const statuses = await migrationStatuses(engine.migrations, migrations);
    return lossesOf(engine, migrations, goingBack(migrations, statuses, named(migrations, to)));
  });
}

/** Takes migrations back. */
export async function rewindProject(
  project: Project,
  model: Model,
  report: Report,
  request: RewindRequest,
): Promise<MigrationDone[]> {
  return withDatabaseOf(project, async (engine) => {
    await settleAmendment(project, engine);
    const migrations = readMigrations(project, dialectOf(model));
    const count = request && "count" in request ? request.count : 1;
    // What a run that died was reverting counts as one of those to revert.
    const settled = await settleHalfWay(engine.migrations, migrations, options(project, report));
    const done = settled?.direction === "back" ? [settled.done] : [];
    for (const rewound of done) report({ kind: "rewound", ...rewound });
    if (done.length === count && !(request && "downTo" in request)) return done;
    const statuses = await migrationStatuses(engine.migrations, migrations);
    const rest = request && "downTo" in request ? request : { count: count - done.length };
    const goal = rewindGoal(migrations, statuses, done.length > 0 || request ? rest : undefined);
    return [...done, ...(await rewindTo(engine, migrations, goal, { project, report }))];
  });
}

function withDatabaseOf<Result>(
  project: Project,
  work: (engine: Engine) => Promise<Result>,
): Promise<Result> {
  return hasDatabase(project).then((there) => {
    if (there) return withDatabase(project, work);
    throw new Failure("input", "there is no database yet, so there is nothing to revert");
  });
}

/** The migration to stop at on the way back; undefined for before the first. */
function rewindGoal(
  migrations: readonly MigrationFolder[],
  statuses: readonly MigrationStatus[],
  request: RewindRequest,
): string | undefined {
  const applied = statuses.filter(({ state }) => state === "applied").map(({ name }) => name);
  const newest = applied.at(-1);
  if (newest === undefined) throw new Failure("input", "no migration is applied");
  const failed = statuses.find(({ name, state }) => state === "failed" && name > newest);
  if (failed && request === undefined) {
    throw new Failure(
      "input",
      `${failed.name} failed and isn't applied, so there is nothing of it to take back`,
      `correct what made it fail, and run \`levadura migrate\`; to take ${newest} back, name it: levadura rewind ${newest}`,
    );
  }
  if (!request || "count" in request) return applied.at(-1 - (request?.count ?? 1));
  const last = named(migrations, request.downTo);
  const at = applied.indexOf(last ?? "");
  if (at < 0) throw new Failure("input", `${request.downTo} isn't applied`);
  return applied[at - 1];
}

/** The applied migrations after one, newest first. */
function goingBack(
  migrations: readonly MigrationFolder[],
  statuses: readonly MigrationStatus[],
  goal: string | undefined,
): MigrationFolder[] {
  return migrations
    .filter(({ name }) => goal === undefined || name > goal)
    .filter(({ name }) =>
      statuses.some((each) => each.name === name && each.line && !isPending(each)),
    )
    .reverse();
}

async function rewindTo(
  engine: Engine,
  migrations: readonly MigrationFolder[],
  goal: string | undefined,
  { project, report }: { project: Project; report: Report },
): Promise<MigrationDone[]> {
  const statuses = await migrationStatuses(engine.migrations, migrations);
  refuseMismatch(statuses);
  const going = goingBack(migrations, statuses, goal);
  for (const migration of going) {
    const line = statuses.find(({ name }) => name === migration.name)?.line;
    requireWay(migration.back);
    const [missing] = missingKept(migration.back, line?.kept ?? null, project.kept);
    if (!missing) continue;
    throw new Failure(
      "outside",
      `${migration.name} can't be reverted: the data that it deleted is not in ${missing}`,
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
 * their names. Returns the old and the new names.
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

/** The state of each migration in the database of a project. */
export async function migrationHistory(project: Project, model: Model): Promise<MigrationStatus[]> {
  const migrations = readMigrations(project, dialectOf(model));
  // Looking at the history makes no database.
  if (!(await hasDatabase(project))) {
    return migrations.map(({ name }) => ({ name, state: "pending" }));
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
      ? "run `levadura prepare`, then `levadura migrate`"
      : "run `levadura migrate`",
  );
}
