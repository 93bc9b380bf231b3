import { resolve } from "node:path";
import { migrationConnection, openFile } from "./file.ts";
import { databaseFile, readMigrations } from "./location.ts";
import {
  applyMigrations,
  isPending,
  LedgerMismatch,
  type MigrationConnection,
  migrationStatuses,
} from "./migrations.ts";
import { NoWay, RowsInTheWay } from "./running.ts";

/** Brings the database up to date, and says what it did. */
export function migrate(file: string, folder: string): Promise<void> {
  return withConnection(file, async (connection) => {
    const done = await applyMigrations(connection, readMigrations(folder), {
      keptFolder: resolve("kept"),
    });
    for (const { name } of done) console.log(`Applied ${name}.`);
    if (done.length === 0) console.log("The database is up to date.");
  });
}

/** Ends the process, with what to do, where the database lacks a migration that the pages need. */
export function requireMigrated(file: string, folder: string): Promise<void> {
  return withConnection(file, async (connection) => {
    const statuses = await migrationStatuses(connection, readMigrations(folder));
    const pending = statuses.filter(isPending);
    if (pending.length === 0) return;
    const names = pending.map(({ name }) => name).join(", ");
    throw new LedgerMismatch(`The database lacks ${names}. Run: npm run migrate`);
  });
}

/** Works on the database; when that fails, says why and ends the process. */
async function withConnection(
  file: string,
  work: (connection: MigrationConnection) => Promise<void>,
): Promise<void> {
  try {
    const connection = migrationConnection(openFile(databaseFile(file)));
    try {
      await work(connection);
    } finally {
      await connection.close();
    }
  } catch (error) {
    console.error(
      isExpected(error) ? (error as Error).message : `The database: ${(error as Error).message}`,
    );
    process.exit(isExpected(error) ? 1 : 3);
  }
}

/** Whether migrations and rows are at fault, and not the database. */
function isExpected(error: unknown): boolean {
  return [LedgerMismatch, RowsInTheWay, NoWay].some((kind) => error instanceof kind);
}
