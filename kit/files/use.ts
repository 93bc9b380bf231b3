import { createWriteStream } from "node:fs";
import { mkdir, readdir, rm, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import { readKept } from "../migrations/row-archive.ts";
import type { FileStore } from "./file-store.ts";

/** A column that holds files, its names as the database quotes them. */
export interface FilesColumn {
  table: string;
  column: string;
}

/** How many files a column refers to, and how many bytes these have. */
export interface ColumnUse extends FilesColumn {
  files: number;
  bytes: number;
}

/** What is in a store: what each column refers to, and what nothing does. */
export interface FilesUse {
  columns: ColumnUse[];
  /** The keys of files that nothing refers to, and their bytes. */
  unused: { keys: string[]; bytes: number };
  /** Files that records refer to and that aren't in the store. */
  missing: string[];
}

/** What finding out needs of a database. */
interface Rows {
  hasTable(name: string): boolean | Promise<boolean>;
  rows<Row>(query: string): Promise<Row[]>;
}

/** How many rows are looked at in one statement. */
const rowsAtOnce = 5000;

/** A file that came less than so long ago may be about to be saved with a record, in milliseconds. */
const young = 24 * 60 * 60 * 1000;

/**
 * Finds out which files of a store are in use: by a record, by a form that was sent and not saved yet, or by rows that were kept
 * before they were deleted (`kept` are their folders).
 */
export async function filesInUse(
  database: Rows,
  columns: readonly FilesColumn[],
  store: FileStore,
  kept: readonly string[],
): Promise<FilesUse> {
  const there = await contentOf(store);
  const used = new Set<string>();
  const counted: ColumnUse[] = [];
  const missing = new Set<string>();
  for (const each of columns) {
    const keys = new Set<string>();
    for await (const text of textsIn(database, each)) for (const key of keysIn(text)) keys.add(key);
    for (const key of keys) {
      used.add(key);
      if (!there.has(key)) missing.add(key);
    }
    const bytes = [...keys].reduce((sum, key) => sum + (there.get(key)?.bytes ?? 0), 0);
    counted.push({ ...each, files: keys.size, bytes });
  }
  if (await database.hasTable("levadura_upload")) {
    for (const row of await database.rows<{ file_key: string }>(
      "select file_key from levadura_upload",
    )) {
      used.add(row.file_key);
    }
  }
  for (const folder of kept) for await (const key of keysKept(folder)) used.add(key);
  const now = Date.now();
  const unused = [...there].filter(([key, { at }]) => !used.has(key) && now - at > young);
  return {
    columns: counted,
    unused: {
      keys: unused.map(([key]) => key),
      bytes: unused.reduce((sum, [, { bytes }]) => sum + bytes, 0),
    },
    missing: [...missing],
  };
}

async function* textsIn(database: Rows, { table, column }: FilesColumn): AsyncGenerator<string> {
  for (let last = 0; ; ) {
    const rows = await database.rows<{ id: number | bigint; held: string }>(
      `select id, ${column} as held from ${table} where id > ${last} and ${column} is not null order by id limit ${rowsAtOnce}`,
    );
    for (const { held } of rows) yield held;
    if (rows.length < rowsAtOnce) return;
    last = Number(rows.at(-1)?.id);
  }
}

/** The keys of the files that a text tells of, as a column or a kept row has it. */
export function keysIn(text: string): string[] {
  return [...text.matchAll(/key\W{1,12}([0-9a-f]{32})/g)].map(([, key]) => key as string);
}

/** The keys of the files in rows that were kept before they were deleted. */
async function* keysKept(folder: string): AsyncGenerator<string> {
  const files = await readdir(folder, { recursive: true }).catch(() => []);
  for (const file of files.filter((name) => name.endsWith(".jsonl.gz"))) {
    const { rows } = await readKept(join(folder, file));
    for await (const row of rows) yield* keysIn(JSON.stringify(row));
  }
}

/** All files of a store, by their keys: how large each is with its smaller copies, and when the last of it came. */
async function contentOf(store: FileStore): Promise<Map<string, { bytes: number; at: number }>> {
  const there = new Map<string, { bytes: number; at: number }>();
  for await (const { name, bytes, at } of store.list()) {
    const key = name.slice(0, 32);
    // What isn't called as files are called wasn't put there by the application.
    if (!/^[0-9a-f]{32}(\.|$)/.test(name)) continue;
    const before = there.get(key) ?? { bytes: 0, at: 0 };
    there.set(key, { bytes: before.bytes + bytes, at: Math.max(before.at, at) });
  }
  return there;
}

/** The file that says that a folder has files which were in use no more. */
export const setAsideNote = "files.json";

/** Moves files from a store into a new folder in `kept`, which is returned: each is removed once it is there. */
export async function setAside(
  store: FileStore,
  keys: readonly string[],
  kept: string,
): Promise<string> {
  const stamp = new Date().toISOString().replace(/\D/g, "").slice(0, 14);
  const folder = join(kept, `files-${stamp}`);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  await writeFile(join(folder, setAsideNote), `${JSON.stringify({ files: keys }, null, 2)}\n`);
  const wanted = new Set(keys);
  const going: string[] = [];
  for await (const { name } of store.list()) if (wanted.has(name.slice(0, 32))) going.push(name);
  for (const name of going) {
    const found = await store.read(name);
    if (!found) continue;
    await pipeline(
      found.content,
      createWriteStream(join(folder, name), { mode: 0o600, flush: true }),
    );
    await store.remove([name]);
  }
  return folder;
}

/** Puts files that were set aside back into a store. Returns how many there were. */
export async function putFilesBack(store: FileStore, folder: string): Promise<number> {
  const names = (await readdir(folder)).filter((name) => /^[0-9a-f]{32}(\.\w+)?$/.test(name));
  for (const name of names) {
    await store.put(name, join(folder, name), "application/octet-stream");
    await rm(join(folder, name));
  }
  return new Set(names.map((name) => name.slice(0, 32))).size;
}
