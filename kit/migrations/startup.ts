import { parseArgs } from "node:util";
import { kind, openConnection } from "../database/current-dialect.ts";
import { BadSetting, databaseLimits } from "../database/limits.ts";
import {
  databaseAddress,
  keptFolder,
  NoAddress,
  readEnvironment,
  readMigrations,
} from "../database/location.ts";
import { makeOwnTables } from "../database/own-tables.ts";
import {
  applyMigrations,
  isPending,
  LedgerMismatch,
  type Migration,
  type MigrationConnection,
  type MigrationDone,
  migrationStatuses,
  refuseMismatch,
  rewindMigration,
  settleHalfWay,
} from "./migrations.ts";
import { NoWay, RowsInTheWay } from "./script-runner.ts";

/**
 * Brings the database up to date, and says what it did. On the command line, `--back-to 0003-queen-colour` reverts what was applied after
 * that migration (`--back-to 0`: all), `--up-to` goes no further than one, and `--list` only prints the state and the name of each.
 */
export function migrate(folder: string, otherwise?: string): Promise<void> {
  return withConnection(otherwise, async (connection) => {
    const asked = commandLine();
    const migrations = readMigrations(folder, kind);
    if (asked.list) {
      const statuses = await migrationStatuses(connection, migrations);
      for (const { state, name } of statuses) console.log(`${state} ${name}`);
    } else if (asked["back-to"] !== undefined) {
      await goBack(connection, migrations, asked["back-to"]);
    } else {
      const upTo = asked["up-to"];
      const options = { keptFolder: keptFolder(), ...(upTo !== undefined && { upTo }) };
      const done = await applyMigrations(connection, migrations, options);
      for (const each of done) tell("Applied", each);
      if (done.length === 0) console.log("The database is up to date.");
    }
  });
}

function commandLine() {
  try {
    const options = {
      list: { type: "boolean" },
      "back-to": { type: "string" },
      "up-to": { type: "string" },
    } as const;
    return parseArgs({ options }).values;
  } catch (error) {
    throw new BadSetting((error as Error).message);
  }
}

async function goBack(
  connection: MigrationConnection,
  migrations: readonly Migration[],
  goal: string,
): Promise<void> {
  if (goal !== "0" && !migrations.some(({ name }) => name === goal)) {
    throw new BadSetting(`There is no migration ${goal}. --back-to 0 reverts all of them.`);
  }
  const options = { keptFolder: keptFolder() };
  const settled = await settleHalfWay(connection, migrations, options);
  if (settled?.direction === "back") tell("Reverted", settled.done);
  const statuses = await migrationStatuses(connection, migrations);
  refuseMismatch(statuses);
  const applied = new Set(statuses.filter((each) => !isPending(each)).map(({ name }) => name));
  const going = migrations.filter(({ name }) => applied.has(name) && (goal === "0" || name > goal));
  for (const migration of going.toReversed()) {
    tell("Reverted", await rewindMigration(connection, migration, options));
  }
  if (going.length === 0) console.log("There is nothing to revert.");
}

function tell(what: string, { name, findings }: MigrationDone): void {
  console.log(`${what} ${name}.`);
  for (const finding of findings) {
    if (finding.kind === "kept" && finding.rows > 0)
      console.log(`Kept ${finding.rows} rows in ${finding.file}`);
    if (finding.kind !== "not brought back") continue;
    console.log(`The data kept when it was reverted is not in the database: ${finding.folder}`);
  }
}

/** Ends the process, with what to do, where the database lacks a migration that the pages need. */
export function requireMigrated(folder: string, otherwise?: string): Promise<void> {
  return withConnection(otherwise, async (connection) => {
    const statuses = await migrationStatuses(connection, readMigrations(folder, kind));
    // One that is for afterwards is applied while this version runs.
    const pending = statuses.filter(
      (each) => isPending(each) && !each.name.endsWith("-afterwards"),
    );
    if (pending.length === 0) return makeOwnTables(connection);
    const names = pending.map(({ name }) => name).join(", ");
    throw new LedgerMismatch(`The database lacks ${names}. Run: npm run migrate`);
  });
}

/** Runs work on the database; if that fails, prints the reason and ends the process. */
export async function withConnection(
  otherwise: string | undefined,
  work: (connection: MigrationConnection) => Promise<void>,
): Promise<void> {
  try {
    readEnvironment();
    databaseLimits();
    const connection = await openConnection(databaseAddress(otherwise));
    try {
      await work(connection);
    } finally {
      await connection.close();
    }
  } catch (error) {
    // An error of several addresses at once has only a code.
    const { message, code } = error as { message: string; code?: string };
    const expected = isExpected(error);
    console.error(expected ? message : `The database: ${message || code}`);
    process.exit(expected ? 1 : 3);
  }
}

/** Whether migrations or rows caused the error, rather than the database. */
function isExpected(error: unknown): boolean {
  return [LedgerMismatch, RowsInTheWay, NoWay, NoAddress, BadSetting].some(
    (kind) => error instanceof kind,
  );
}
