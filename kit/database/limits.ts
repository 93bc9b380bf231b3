/** The environment has an invalid setting for the database. */
export class BadSetting extends Error {}

/** How long an application waits for its database, in milliseconds, and for what. */
export interface Limits {
  /** The longest a statement may run; after that it is cancelled. */
  statement: number;
  /** The longest wait for a connection, or for a turn to write. */
  wait: number;
  /** SQLite: whether each commit waits for the disk, so that it survives a power failure. */
  synchronous: boolean;
}

/** The limits that the environment sets, in seconds: 20 for a statement and 5 for a wait where it doesn't. */
export function databaseLimits(): Limits {
  const synchronous = process.env.DATABASE_SYNCHRONOUS || "normal";
  if (synchronous !== "full" && synchronous !== "normal")
    throw new BadSetting("DATABASE_SYNCHRONOUS has to be full or normal.");
  return {
    statement: seconds("DATABASE_STATEMENT_SECONDS", 20),
    wait: seconds("DATABASE_WAIT_SECONDS", 5),
    synchronous: synchronous === "full",
  };
}

function seconds(name: string, otherwise: number): number {
  const set = Number(process.env[name] || otherwise);
  if (set > 0 && set <= 3600) return 1000 * set;
  throw new BadSetting(`${name} has to be a number of seconds, above 0 and up to 3600.`);
}
