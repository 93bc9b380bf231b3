import { existsSync, readdirSync, readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import type { Migration } from "../migrations/migrations.ts";

/** The location of the database is not set. */
export class NoAddress extends Error {
  constructor() {
    super(
      "Set DATABASE_URL, in the environment or in a file .env, to the address of the database.",
    );
  }
}

/** Takes what a file `.env`, here or in the folder above, says into the environment; what is there already stays. */
export function readEnvironment(): void {
  for (const file of [".env", "../.env"]) if (existsSync(file)) process.loadEnvFile(file);
}

/** The address of the database: DATABASE_URL; else the one given. */
export function databaseAddress(otherwise?: string): string {
  const address = process.env.DATABASE_URL || otherwise;
  if (!address) throw new NoAddress();
  return address;
}

/** The address of a replica, which may answer what only reads: DATABASE_READ_URL; undefined without one. */
export function readAddress(): string | undefined {
  return process.env.DATABASE_READ_URL || undefined;
}

/** The folder for what migrations and commands take out: KEPT_FOLDER, or `kept` where the application is started. */
export function keptFolder(): string {
  return resolve(process.env.KEPT_FOLDER || "kept");
}

/** The migrations in a folder, in order: each a folder of its own with the SQL for a kind of database in it. */
export function readMigrations(folder: string, kind: string): Migration[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { withFileTypes: true })
    .filter((entry) => entry.isDirectory() && /^\d{4}-/.test(entry.name))
    .map(({ name }) => name)
    .sort()
    .map((name) => {
      const script = (direction: string) => join(folder, name, `${direction}.${kind}.sql`);
      const again = script("again");
      return {
        name,
        forward: readFileSync(script("forward"), "utf8"),
        back: readFileSync(script("back"), "utf8"),
        ...(existsSync(again) && { again: readFileSync(again, "utf8") }),
      };
    });
}
