import { existsSync, readdirSync, readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import type { Migration } from "./migrations.ts";

/** The SQLite file that DATABASE_URL names, as `sqlite:path/to.db`; else the one given, both seen from the working folder. */
export function databaseFile(otherwise: string): string {
  const url = process.env.DATABASE_URL;
  if (!url) return resolve(otherwise);
  if (!url.startsWith("sqlite:")) {
    throw new Error("DATABASE_URL has to begin with sqlite:, as in sqlite:../records.db");
  }
  const path = url.slice("sqlite:".length).replace(/^\/\/(?=\/)/, "");
  return path === ":memory:" ? path : resolve(path);
}

/** The migrations in a folder, in order: each a folder of its own with the SQL for this database in it. */
export function readMigrations(folder: string): Migration[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { withFileTypes: true })
    .filter((entry) => entry.isDirectory() && /^\d{4}-/.test(entry.name))
    .map(({ name }) => name)
    .sort()
    .map((name) => ({
      name,
      forward: readFileSync(join(folder, name, "forward.sqlite.sql"), "utf8"),
      back: readFileSync(join(folder, name, "back.sqlite.sql"), "utf8"),
    }));
}
