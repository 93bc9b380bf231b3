import { migrationConnection, openFile } from "./file.ts";
import { databaseFile, readMigrations } from "./location.ts";
import {
  applyMigrations,
  LedgerMismatch,
  type MigrationConnection,
  migrationStatuses,
} from "./migrations.ts";

/** Brings the database up to date, and says what it did. */
export function migrate(file: string, folder: string): Promise<void> {
  return withConnection(file, async (connection) => {
    const done = await applyMigrations(connection, readMigrations(folder));
    for (const { name } of done) console.log(`Applied ${name}.`);
    if (done.length === 0) console.log("The database is up to date.");
  });
}

/** Ends the process, with what to do, where the database lacks a migration that the pages need. */
export function requireMigrated(file: string, folder: string): Promise<void> {
  return withConnection(file, async (connection) => {
    const statuses = await migrationStatuses(connection, readMigrations(folder));
    const pending = statuses.filter(({ standing }) => standing === "pending");
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
      error instanceof LedgerMismatch ? error.message : `The database: ${(error as Error).message}`,
    );
    process.exit(error instanceof LedgerMismatch ? 1 : 3);
  }
}
