import { mkdirSync } from "node:fs";
import { join } from "node:path";
import type { Engine } from "../../io/engines/engine.ts";
import type { Project } from "../../io/project/project.ts";
import { databaseName, hasDatabase, withDatabase } from "../database.ts";
import { rowOwners } from "../rows/row-ownership.ts";

/** What `--start-over` would delete. */
export interface Clearing {
  database: string;
  /** Rows by table; only tables that have some. */
  rows: Record<string, number>;
  /** How many of them seeding did not make, or were changed since. */
  own: number;
}

/** What is in the database of a project; undefined where there is none, or nothing in it. */
export async function clearingOf(project: Project): Promise<Clearing | undefined> {
  if (!(await hasDatabase(project))) return undefined;
  return withDatabase(project, async (engine) => {
    const catalogue = await engine.catalogue();
    if (catalogue.size === 0) return undefined;
    const rows: Record<string, number> = {};
    let own = 0;
    for (const [table, { columns }] of catalogue) {
      const all = await engine.count(`select 1 from ${engine.dialect.quoted(table)}`);
      if (all > 0) rows[table] = all;
      if (columns.has("version")) own += await ownRows(engine, table);
    }
    return { database: databaseName(project), rows, own };
  });
}

/** Rows that seeding did not make, or that somebody changed since. */
async function ownRows(engine: Engine, table: string): Promise<number> {
  const { sample } = await rowOwners(engine, table);
  return engine.count(`select 1 as one from ${engine.dialect.quoted(table)} t where not ${sample}`);
}

/** Puts a copy of the database aside and empties it. Returns the place of the copy. */
export async function clearDatabase(project: Project): Promise<string> {
  mkdirSync(project.kept, { recursive: true });
  const stamp = new Date().toISOString().replace(/[-:.]/g, "");
  const copy = join(project.kept, `${stamp}-${databaseName(project)}`);
  await withDatabase(project, (engine) => engine.clear(copy));
  return copy;
}
