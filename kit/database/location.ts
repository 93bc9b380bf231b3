import { existsSync, readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
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

/** The migrations in a folder, in order: each a folder of its own with the SQL for a kind of database in it. */
export function readMigrations(folder: string, kind: string): Migration[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { withFileTypes: true })
    .filter((entry) => entry.isDirectory() && /^\d{4}-/.test(entry.name))
    .map(({ name }) => name)
    .sort()
    .map((name) => ({
      name,
      forward: readFileSync(join(folder, name, `forward.${kind}.sql`), "utf8"),
      back: readFileSync(join(folder, name, `back.${kind}.sql`), "utf8"),
    }));
}
