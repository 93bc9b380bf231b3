import { resolve } from "node:path";
import { kind, openConnection } from "../database/current-dialect.ts";
import { BadSetting, databaseLimits } from "../database/limits.ts";
import {
  databaseAddress,
  NoAddress,
  readEnvironment,
  readMigrations,
} from "../database/location.ts";
import { makeOwnTables } from "../database/own-tables.ts";
import {
  applyMigrations,
  isPending,
  LedgerMismatch,
  type MigrationConnection,
  migrationStatuses,
} from "./migrations.ts";
import { NoWay, RowsInTheWay } from "./script-runner.ts";

/** Brings the database up to date, and says what it did. */
export function migrate(folder: string, otherwise?: string): Promise<void> {
  return withConnection(otherwise, async (connection) => {
    const done = await applyMigrations(connection, readMigrations(folder, kind), {
      keptFolder: resolve("kept"),
    });
    for (const { name, findings } of done) {
      console.log(`Applied ${name}.`);
      for (const finding of findings) {
        if (finding.kind !== "not brought back") continue;
        console.log(`The data kept when it was reverted is not in the database: ${finding.folder}`);
      }
    }
    if (done.length === 0) console.log("The database is up to date.");
  });
}

/** Ends the process, with what to do, where the database lacks a migration that the pages need. */
export function requireMigrated(folder: string, otherwise?: string): Promise<void> {
  return withConnection(otherwise, async (connection) => {
    const statuses = await migrationStatuses(connection, readMigrations(folder, kind));
    const pending = statuses.filter(isPending);
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
