import { existsSync, readdirSync, statSync } from "node:fs";
import { basename, join } from "node:path";
import Driver from "libsql";
import { type KeptHeader, readKept } from "../../../kit/migrations/row-archive.ts";
import { unquoted } from "../../../kit/migrations/script-runner.ts";
import type { Project } from "./project.ts";

/** Something that was kept before it was deleted: a folder of files, or a copy of a database. */
export interface KeptEntry {
  name: string;
  path: string;
  /** When it was kept, in milliseconds. */
  time: number;
}

/** Rows of a table, or values of one of its columns, that were kept. */
export interface KeptRows extends Omit<KeptHeader, "table" | "column" | "top"> {
  table: string;
  column?: string;
  read(): Iterable<unknown[]> | AsyncIterable<unknown[]>;
}

/** What was kept in a project, by Levadura and by its application, oldest first. */
export function keptEntries(project: Project): KeptEntry[] {
  return [project.kept, join(project.app, "kept")]
    .flatMap((folder) =>
      (existsSync(folder) ? readdirSync(folder) : [])
        .filter((name) => !name.includes(".begun-"))
        .map((name) => ({
          name,
          path: join(folder, name),
          time: statSync(join(folder, name)).mtimeMs,
        })),
    )
    .sort((a, b) => a.time - b.time);
}

/** The rows that an entry holds, table by table. */
export async function keptRows({ path }: KeptEntry): Promise<KeptRows[]> {
  if (!statSync(path).isDirectory()) return copiedRows(path);
  const found: KeptRows[] = [];
  for (const file of readdirSync(path)
    .filter((name) => name.endsWith(".jsonl.gz"))
    .sort()) {
    const { header } = await readKept(join(path, file));
    // Which rows were made of texts is known by their numbers and names: these are no values of a column.
    const isNote = header.columns[1] === "value" && header.column === undefined;
    if (isNote) continue;
    found.push({
      table: unquoted(header.table),
      columns: header.columns,
      ...(header.column !== undefined && { column: unquoted(header.column) }),
      read: async function* () {
        yield* (await readKept(join(path, file))).rows;
      },
    });
  }
  return found;
}

/** The tables in a copy of a SQLite file. */
function copiedRows(path: string): KeptRows[] {
  const driver = new Driver(path, { readonly: true } as never);
  const tables = driver
    .prepare(
      "select name from sqlite_schema where type = 'table' and name not like 'sqlite%' and name not like 'levadura%'",
    )
    .all() as { name: string }[];
  driver.close();
  return tables.map(({ name }) => {
    const query = `select * from "${name.replaceAll('"', '""')}"`;
    return {
      table: name,
      columns: columnsOf(path, query),
      read: function* () {
        const open = new Driver(path, { readonly: true } as never);
        yield* open.prepare(query).raw(true).iterate() as IterableIterator<unknown[]>;
        open.close();
      },
    };
  });
}

function columnsOf(path: string, query: string): string[] {
  const driver = new Driver(path, { readonly: true } as never);
  const columns = driver
    .prepare(query)
    .columns()
    .map(({ name }) => name);
  driver.close();
  return columns.filter((name) => !name.endsWith("__order"));
}

/** The name of an entry that somebody typed, with or without its folder. */
export function entryNamed(entries: readonly KeptEntry[], typed: string): KeptEntry | undefined {
  const name = basename(typed);
  return entries.find((entry) => entry.name === name);
}
