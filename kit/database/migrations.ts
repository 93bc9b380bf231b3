import { createHash } from "node:crypto";

/** A step in the life of the schema: a folder's name, and the SQL that it holds. */
export interface Migration {
  /** Such as `0001-begin`; the names give the order. */
  name: string;
  sql: string;
}

/** What applying migrations needs of a database. */
export interface MigrationConnection {
  /** Runs a script of statements. */
  run(text: string): Promise<void>;
  /** Rows of one statement. */
  rows<Row>(text: string, values?: readonly unknown[]): Promise<Row[]>;
  hasTable(name: string): Promise<boolean>;
  close(): Promise<void>;
}

/** A line of the ledger: the table in which the database remembers what was done to it. */
export interface LedgerLine {
  name: string;
  checksum: string;
  applied_at: string;
  milliseconds: number;
}

/** How a migration stands in a database. */
export type Standing = "applied" | "pending" | "edited" | "missing";

/** A migration, where it stands, and what the ledger says of it. */
export interface MigrationStatus {
  name: string;
  standing: Standing;
  line?: LedgerLine;
}

/** The applied migrations differ from those in the folder. */
export class LedgerMismatch extends Error {}

const ledger = `create table if not exists levadura_ledger (
  name text not null primary key,
  checksum text not null,
  applied_at text not null,
  milliseconds integer not null
)`;

/** The checksum of a migration's SQL, whatever line ends version control gave it. */
export function checksum(text: string): string {
  return createHash("sha256").update(text.replaceAll("\r\n", "\n")).digest("hex");
}

/** How each migration stands, in order; those that only the ledger knows are missing. */
export async function migrationStatuses(
  connection: MigrationConnection,
  migrations: readonly Migration[],
): Promise<MigrationStatus[]> {
  const lines = (await connection.hasTable("levadura_ledger"))
    ? await connection.rows<LedgerLine>("select * from levadura_ledger order by name")
    : [];
  const applied = new Map(lines.map((line) => [line.name, line]));
  const present = migrations.map(({ name, sql }): MigrationStatus => {
    const line = applied.get(name);
    applied.delete(name);
    if (!line) return { name, standing: "pending" };
    return { name, standing: line.checksum === checksum(sql) ? "applied" : "edited", line };
  });
  const missing = [...applied.values()].map(
    (line): MigrationStatus => ({ name: line.name, standing: "missing", line }),
  );
  return [...present, ...missing].sort((a, b) => (a.name < b.name ? -1 : 1));
}

/** Throws, with what to do, where the ledger remembers migrations that are edited, missing or out of order here. */
export function refuseMismatch(statuses: readonly MigrationStatus[]): void {
  const edited = statuses.find(({ standing }) => standing === "edited");
  if (edited) {
    throw new LedgerMismatch(
      `The migration ${edited.name} was edited after it was applied. Take the edit back, and put the change into a new migration.`,
    );
  }
  const missing = statuses.find(({ standing }) => standing === "missing");
  if (missing) {
    throw new LedgerMismatch(
      `The database was migrated with ${missing.name}, which is not in the migrations folder. Fetch the newest version of the project.`,
    );
  }
  const pending = statuses.findIndex(({ standing }) => standing === "pending");
  const after = statuses.slice(pending + 1).find(({ standing }) => standing === "applied");
  if (pending >= 0 && after) {
    throw new LedgerMismatch(
      `The migration ${statuses[pending]?.name} is pending, but ${after.name}, which comes after it, is applied already. Give the pending one a higher number.`,
    );
  }
}

/** Applies what is pending, each migration in a transaction of its own with its line in the ledger. */
export async function applyMigrations(
  connection: MigrationConnection,
  migrations: readonly Migration[],
): Promise<LedgerLine[]> {
  refuseMismatch(await migrationStatuses(connection, migrations));
  const done: LedgerLine[] = [];
  for (const migration of migrations) {
    await connection.run("begin immediate");
    try {
      await connection.run(ledger);
      // Again, now that nobody else can write: another process may have been faster.
      const statuses = await migrationStatuses(connection, migrations);
      refuseMismatch(statuses);
      const status = statuses.find(({ name }) => name === migration.name);
      if (status?.standing === "pending") done.push(await applyOne(connection, migration));
      await connection.run("commit");
    } catch (error) {
      await connection.run("rollback").catch(() => undefined);
      throw error;
    }
  }
  return done;
}

async function applyOne(
  connection: MigrationConnection,
  { name, sql }: Migration,
): Promise<LedgerLine> {
  const begun = Date.now();
  await connection.run(sql);
  const line: LedgerLine = {
    name,
    checksum: checksum(sql),
    applied_at: `${new Date(begun).toISOString().slice(0, 19)}Z`,
    milliseconds: Date.now() - begun,
  };
  await connection.rows(
    "insert into levadura_ledger (name, checksum, applied_at, milliseconds) values (?, ?, ?, ?) returning name",
    [line.name, line.checksum, line.applied_at, line.milliseconds],
  );
  return line;
}
