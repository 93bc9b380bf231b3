import { createHash } from "node:crypto";
import { makeOwnTables, type OwnTypes } from "../database/own-tables.ts";
import {
  type ApplyOptions,
  type Finding,
  missingKept,
  runScript,
  type ScriptConnection,
} from "./script-runner.ts";

/** A migration: the name of its folder, and the scripts in it. */
export interface Migration {
  /** Such as `0001-begin`; the names give the order. */
  name: string;
  forward: string;
  back: string;
  /** The forward script for once it was reverted: it brings back what that deleted. */
  again?: string;
}

/** What applying migrations needs of a database. */
export interface MigrationConnection extends ScriptConnection {
  /** The names of the columns of a table. */
  columns(table: string): Promise<string[]>;
  /** Begins a transaction in which the schema may change, once nobody else is in one. */
  begin(): Promise<void>;
  /** Ends it; throws where a row refers to one that is not there. */
  commit(): Promise<void>;
  rollback(): Promise<void>;
  close(): Promise<void>;
  /** The names of the types used by the application's own tables. */
  ownTypes: OwnTypes;
  /** For databases whose scripts can't run in a transaction: runs them statement by statement. */
  journal?: Journal;
}

/** What running a script gave. */
export type Outcome = Awaited<ReturnType<typeof runScript>>;

/** A migration that was reverted, and the folder of what that deleted. */
interface TakenBack {
  name: string;
  checksum: string;
  kept: string;
}

/** A script to run, and the one that takes it back. */
export interface Task {
  name: string;
  direction: "forward" | "back";
  script: string;
  other: string;
  /** The folder of what the migration deleted when it was applied. */
  keptBefore?: string | undefined;
}

/** Runs scripts statement by statement, and records its progress. */
export interface Journal {
  /** The script that a killed run left half-way. */
  open(): Promise<{ name: string; direction: "forward" | "back" } | undefined>;
  /** Runs a script, or what is left of it; undefined where a run that died was on the way back, and is back now. */
  run(task: Task, options: ApplyOptions): Promise<Outcome | undefined>;
  /** Clears the record of a run, once it is in the ledger. */
  close(): Promise<void>;
}

/** A line of the ledger: the table in which the database remembers what was done to it. */
export interface LedgerLine {
  name: string;
  checksum: string;
  applied_at: string;
  milliseconds: number;
  /** The folder with what was deleted. */
  kept: string | null;
  /** Why the last attempt failed, where it did. */
  failure: string | null;
}

/** The state of a migration in a database. */
export type MigrationState = "applied" | "pending" | "failed" | "half-way" | "edited" | "missing";

/** A migration, its state, and its line in the ledger. */
export interface MigrationStatus {
  name: string;
  state: MigrationState;
  line?: LedgerLine;
}

/** A migration that was applied or reverted, and what was found on the way. */
export interface MigrationDone {
  name: string;
  milliseconds: number;
  findings: Finding[];
}

/** The applied migrations differ from those in the folder. */
export class LedgerMismatch extends Error {}

const ledger = `create table levadura_ledger (
  name varchar(200) not null primary key,
  checksum varchar(64) not null,
  applied_at varchar(20) not null,
  milliseconds integer not null,
  kept text,
  failure text
)`;

/** The checksum of a migration's script, whatever line ends version control gave it. */
export function checksum(text: string): string {
  return createHash("sha256").update(text.replaceAll("\r\n", "\n")).digest("hex");
}

/** How each migration is, in order; those that only the ledger knows are missing. */
export async function migrationStatuses(
  connection: MigrationConnection,
  migrations: readonly Migration[],
): Promise<MigrationStatus[]> {
  const lines = (await connection.hasTable("levadura_ledger"))
    ? await connection.rows<LedgerLine>("select * from levadura_ledger order by name")
    : [];
  const known = new Map(lines.map((line) => [line.name, line]));
  const open = await connection.journal?.open();
  const present = migrations.map(({ name, forward }): MigrationStatus => {
    const line = known.get(name);
    known.delete(name);
    if (name === open?.name) return { name, state: "half-way", ...(line && { line }) };
    if (!line) return { name, state: "pending" };
    if (line.failure) return { name, state: "failed", line };
    return { name, state: line.checksum === checksum(forward) ? "applied" : "edited", line };
  });
  const missing = [...known.values()]
    .filter(({ failure }) => !failure)
    .map((line): MigrationStatus => ({ name: line.name, state: "missing", line }));
  return [...present, ...missing].sort((a, b) => (a.name < b.name ? -1 : 1));
}

/** Whether a migration is still to be applied. */
export function isPending({ state }: MigrationStatus): boolean {
  return state === "pending" || state === "failed" || state === "half-way";
}

/** Throws, with what to do, where the ledger remembers migrations that are edited, missing or out of order here. */
export function refuseMismatch(statuses: readonly MigrationStatus[]): void {
  const edited = statuses.find(({ state }) => state === "edited");
  if (edited) {
    throw new LedgerMismatch(
      `The migration ${edited.name} was edited after it was applied. Take the edit back, and put the change into a new migration.`,
    );
  }
  const missing = statuses.find(({ state }) => state === "missing");
  if (missing) {
    throw new LedgerMismatch(
      `The database was migrated with ${missing.name}, which is not in the migrations folder. Fetch the newest version of the project.`,
    );
  }
  const number = (name: string) => name.slice(0, 4);
  const double = statuses.find(
    (status, at) =>
      isPending(status) &&
      statuses.some((other, place) => place !== at && number(other.name) === number(status.name)),
  );
  const pending = statuses.findIndex(isPending);
  const after = statuses.slice(pending + 1).find(({ state }) => state === "applied");
  if (double) {
    const names = statuses
      .map(({ name }) => name)
      .filter((name) => number(name) === number(double.name));
    throw new LedgerMismatch(
      `The migrations ${names.join(" and ")} have the same number. Put them in order with: levadura migrate --in-order`,
    );
  }
  if (pending >= 0 && after) {
    throw new LedgerMismatch(
      `The migration ${statuses[pending]?.name} is pending, but ${after.name}, which has a higher number, is already applied. Put them in order with: levadura migrate --in-order`,
    );
  }
}

/** Applies what is pending, up to a migration if one is named, each in a transaction of its own with its line in the ledger. */
export async function applyMigrations(
  connection: MigrationConnection,
  migrations: readonly Migration[],
  options: ApplyOptions & { upTo?: string },
): Promise<MigrationDone[]> {
  refuseMismatch(await migrationStatuses(connection, migrations));
  await makeOwnTables(connection);
  const done: MigrationDone[] = [];
  const settled = await settleHalfWay(connection, migrations, options);
  if (settled?.direction === "forward") done.push(settled.done);
  for (const migration of migrations) {
    if (options.upTo !== undefined && migration.name > options.upTo) break;
    const applied = await inTransaction(connection, async () => {
      await makeLedger(connection);
      // Again, now that nobody else can write: another process may have been faster.
      const statuses = await migrationStatuses(connection, migrations);
      refuseMismatch(statuses);
      const status = statuses.find(({ name }) => name === migration.name);
      return status && isPending(status) ? applyOne(connection, migration, options) : undefined;
    }).catch(async (error: unknown) => {
      if (!(error instanceof LedgerMismatch)) await noteFailure(connection, migration, error);
      throw error;
    });
    if (applied) done.push(applied);
  }
  return done;
}

/** Takes the newest applied migration back. */
export async function rewindMigration(
  connection: MigrationConnection,
  migration: Migration,
  options: ApplyOptions,
): Promise<MigrationDone> {
  await makeOwnTables(connection);
  return inTransaction(connection, async () => {
    const [line] = await connection.rows<LedgerLine>(
      "select * from levadura_ledger where failure is null order by name desc limit 1",
    );
    if (line?.name !== migration.name) {
      throw new LedgerMismatch(
        `The newest migration of the database is ${line?.name ?? "none"} by now, not ${migration.name}.`,
      );
    }
    return (await takeBackOne(connection, migration, line, options)) ?? notDone(migration);
  });
}

/** Continues a run that was killed half-way, for databases where that can happen. */
export async function settleHalfWay(
  connection: MigrationConnection,
  migrations: readonly Migration[],
  options: ApplyOptions,
): Promise<{ direction: "forward" | "back"; done: MigrationDone } | undefined> {
  const { journal } = connection;
  if (!journal || !(await journal.open())) return undefined;
  await makeOwnTables(connection);
  return inTransaction(connection, async () => {
    // Only now that no other run is active.
    const open = await journal.open();
    if (!open) return undefined;
    const { name, direction } = open;
    const migration = migrations.find((each) => each.name === name);
    if (!migration) {
      throw new LedgerMismatch(
        `The database is half-way through ${name}, which is not among these migrations. Go on with: levadura migrate`,
      );
    }
    const [line] = await connection.rows<LedgerLine>(
      "select * from levadura_ledger where name = ?",
      [name],
    );
    const done =
      direction === "forward"
        ? await applyOne(connection, migration, options)
        : await takeBackOne(connection, migration, line, options);
    return done && { direction, done };
  });
}

async function inTransaction<Result>(
  connection: MigrationConnection,
  work: () => Promise<Result>,
): Promise<Result> {
  await connection.begin();
  try {
    const result = await work();
    await connection.commit();
    return result;
  } catch (error) {
    await connection.rollback();
    throw error;
  }
}

/** Undefined where only what a run before began was reverted. */
async function applyOne(
  connection: MigrationConnection,
  { name, forward, back, again }: Migration,
  options: ApplyOptions,
): Promise<MigrationDone | undefined> {
  const begun = Date.now();
  const [before] = await connection.rows<TakenBack>(
    "select * from levadura_taken_back where name = ?",
    [name],
  );
  const isSame = before !== undefined && before.checksum === checksum(forward);
  const comesBack =
    again !== undefined &&
    isSame &&
    missingKept(again, before.kept, options.keptFolder).length === 0;
  const task: Task = {
    name,
    direction: "forward",
    script: comesBack ? again : forward,
    other: back,
    ...(comesBack && { keptBefore: before.kept }),
  };
  const outcome = await runTask(connection, task, options);
  if (!outcome) return undefined;
  const milliseconds = Date.now() - begun;
  await writeLine(connection, {
    name,
    checksum: checksum(forward),
    applied_at: moment(begun),
    milliseconds,
    kept: outcome.kept ?? null,
    failure: null,
  });
  await connection.rows("delete from levadura_taken_back where name = ?", [name]);
  await connection.journal?.close();
  const left: Finding[] =
    before && !comesBack ? [{ kind: "not brought back", folder: before.kept }] : [];
  return { name, milliseconds, findings: [...outcome.findings, ...left] };
}

async function takeBackOne(
  connection: MigrationConnection,
  { name, forward, back }: Migration,
  line: LedgerLine | undefined,
  options: ApplyOptions,
): Promise<MigrationDone | undefined> {
  const begun = Date.now();
  const keptBefore = line?.kept ?? undefined;
  const task: Task = { name, direction: "back", script: back, other: forward, keptBefore };
  const outcome = await runTask(connection, task, options);
  if (!outcome) return undefined;
  await connection.rows("delete from levadura_ledger where name = ?", [name]);
  await connection.rows("delete from levadura_taken_back where name = ?", [name]);
  if (outcome.kept !== undefined) {
    await connection.rows(
      "insert into levadura_taken_back (name, checksum, kept) values (?, ?, ?)",
      [name, checksum(forward), outcome.kept],
    );
  }
  await connection.journal?.close();
  return { name, milliseconds: Date.now() - begun, findings: outcome.findings };
}

function runTask(
  connection: MigrationConnection,
  task: Task,
  options: ApplyOptions,
): Promise<Outcome | undefined> {
  if (connection.journal) return connection.journal.run(task, options);
  const name = task.direction === "back" ? `${task.name}-back` : task.name;
  return runScript(connection, task.script, { ...options, name, keptBefore: task.keptBefore });
}

function notDone({ name }: Migration): never {
  throw new LedgerMismatch(`The migration ${name} could not be reverted, and is still applied.`);
}

/** Leaves a note of why a migration could not be applied; the reason itself is told by whoever asked. */
async function noteFailure(
  connection: MigrationConnection,
  { name, forward }: Migration,
  error: unknown,
): Promise<void> {
  const now = Date.now();
  const line: LedgerLine = {
    name,
    checksum: checksum(forward),
    applied_at: moment(now),
    milliseconds: 0,
    kept: null,
    failure: (error as Error).message.slice(0, 1000),
  };
  await inTransaction(connection, async () => {
    await makeLedger(connection);
    await writeLine(connection, line);
  }).catch(() => undefined);
}

/** Makes the ledger; one that is from before it knew of failures learns of them. */
async function makeLedger(connection: MigrationConnection): Promise<void> {
  if (!(await connection.hasTable("levadura_ledger"))) return connection.run(ledger);
  const known = await connection.columns("levadura_ledger");
  for (const name of ["kept", "failure"]) {
    if (!known.includes(name)) {
      await connection.run(`alter table levadura_ledger add column ${name} text`);
    }
  }
}

async function writeLine(connection: MigrationConnection, line: LedgerLine): Promise<void> {
  await connection.rows("delete from levadura_ledger where name = ?", [line.name]);
  await connection.rows(
    "insert into levadura_ledger (name, checksum, applied_at, milliseconds, kept, failure) values (?, ?, ?, ?, ?, ?)",
    [line.name, line.checksum, line.applied_at, line.milliseconds, line.kept, line.failure],
  );
}

function moment(time: number): string {
  return `${new Date(time).toISOString().slice(0, 19)}Z`;
}
