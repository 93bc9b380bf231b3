import { migrationConnection, openFile } from "./file.ts";
import { databaseFile, readMigrations } from "./location.ts";
import { applyMigrations, LedgerMismatch, migrationStatuses } from "./migrations.ts";

/** Brings the database up to date, and says what it did. */
export async function migrate(file: string, folder: string): Promise<void> {
  const connection = migrationConnection(openFile(databaseFile(file)));
  try {
    const done = await applyMigrations(connection, readMigrations(folder));
    for (const { name } of done) console.log(`Applied ${name}.`);
    if (done.length === 0) console.log("The database is up to date.");
  } catch (error) {
    if (!(error instanceof LedgerMismatch)) throw error;
    console.error(error.message);
    process.exitCode = 1;
  } finally {
    await connection.close();
  }
}

/** Ends the process, with what to do, where the database lacks a migration that the pages need. */
export async function requireMigrated(file: string, folder: string): Promise<void> {
  const connection = migrationConnection(openFile(databaseFile(file)));
  const statuses = await migrationStatuses(connection, readMigrations(folder));
  await connection.close();
  const pending = statuses.filter(({ standing }) => standing === "pending");
  if (pending.length === 0) return;
  const names = pending.map(({ name }) => name).join(", ");
  console.error(`The database lacks ${names}. Run: npm run migrate`);
  process.exit(1);
}
