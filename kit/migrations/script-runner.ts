import { existsSync, mkdirSync, readdirSync, renameSync, rmSync } from "node:fs";
import { basename, join } from "node:path";
import { type KeptHeader, readKept, writeKept } from "./row-archive.ts";
import { parseScript } from "./script.ts";
import type { ScriptPart } from "./script-part.ts";

/** What running a migration's script needs of a database. */
export interface ScriptConnection {
  /** Runs statements. */
  run(text: string): Promise<void>;
  /** Rows of one statement. */
  rows<Row>(text: string, values?: readonly unknown[]): Promise<Row[]>;
  /** Rows of a query, one after the other. */
  stream(
    text: string,
  ): Promise<{ columns: string[]; rows: Iterable<unknown[]> | AsyncIterable<unknown[]> }>;
  /** Makes a temporary table of rows. */
  fill(table: string, columns: readonly string[], rows: AsyncIterable<unknown[]>): Promise<void>;
  hasTable(name: string): Promise<boolean>;
  /**
   * Remembers the triggers and indexes of a table, and its columns besides those that it is known to have; what it
   * gives puts back those that are gone.
   */
  holdTriggers(table: string, columns: readonly string[]): Promise<() => Promise<void>>;
}

export interface ApplyOptions {
  /** The folder for the data that is deleted. */
  keptFolder: string;
  /** Told of each part as it begins: its place, counted from 1, and how many there are. */
  progress?: (name: string, part: number, of: number) => void;
}

/** Something worth reporting about a run. */
export type Finding =
  | { kind: "kept"; file: string; rows: number }
  | { kind: "brought back"; file: string; rows: number }
  /** What was kept on the way back, and isn't in the database again. */
  | { kind: "not brought back"; folder: string }
  /** Rows that are newer than what was brought back. */
  | { kind: "newer rows"; table: string; count: number; first: number[] };

/** Existing rows violate a step. */
export class RowsInTheWay extends Error {
  constructor(
    readonly sentence: string,
    readonly count: number,
    readonly sample: readonly { id: unknown; value: unknown }[],
  ) {
    const shown = sample.map(({ id, value }) =>
      value === null || value === undefined
        ? `row ${id}`
        : `row ${id} with ${JSON.stringify(value)}`,
    );
    super(`${inNumber(count, sentence)}: ${shown.join(", ")}${count > shown.length ? ", …" : ""}`);
  }
}

/** A number before a sentence about `rows of …` or `values of …`. */
export function inNumber(count: number, sentence: string): string {
  const one = sentence
    .replace(/^(row|value)s /, "$1 ")
    .replace(/ have /, " has ")
    .replace(/ lead /, " leads ")
    .replace(/ violate: /, " violates: ")
    .replace(/ no longer fit$/, " no longer fits")
    .replace(/ don't /, " doesn't ")
    .replace(/ are deleted$/, " is deleted");
  return `${count.toLocaleString("en")} ${count === 1 ? one : sentence}`;
}

/** A migration can't be run as it is. */
export class NoWay extends Error {}

/** A step has no SQL for this database, or for this direction. */
function noSql(about: string): NoWay {
  return new NoWay(
    `There is no SQL for the step "${about}". Write it into steps.yaml, or into the script.`,
  );
}

interface Run extends ApplyOptions {
  /** The name of the migration, for the folder of what it deletes. */
  name: string;
  /** The folder of what the migration deleted when it was applied. */
  keptBefore?: string | undefined;
}

/** Runs a script within a transaction of the caller's. Returns the folder of what was deleted, if anything was. */
export async function runScript(
  connection: ScriptConnection,
  text: string,
  options: Run,
): Promise<{ kept?: string; findings: Finding[] }> {
  const folder = keptFolderOf(options.keptFolder, options.name);
  const begun = `${folder}.begun-${process.pid}`;
  const run = new ScriptRun(connection, options, { folder, begun });
  const parts = parseScript(text);
  try {
    for (const [at, part] of parts.entries()) {
      options.progress?.(options.name, at + 1, parts.length);
      await run.take(part);
    }
    return await run.finish();
  } catch (error) {
    run.abandon();
    throw error;
  }
}

/** Throws where a script has a step that nobody wrote SQL for. */
export function requireWay(text: string): void {
  for (const part of parseScript(text)) if (part.kind === "no way") throw noSql(part.about);
}

/** The kept files that a script brings back and that are not there. */
export function missingKept(text: string, kept: string | null, keptFolder: string): string[] {
  return parseScript(text).flatMap((part) => {
    if (part.kind !== "bring back") return [];
    const path = keptBefore(part.file, kept ?? undefined, keptFolder);
    return existsSync(path) ? [] : [path];
  });
}

/** Where a kept file is read from: in the folder of all kept rows, or where it was written by another program. */
function keptBefore(file: string, kept: string | undefined, keptFolder: string): string {
  const path = keptPath(file, kept, keptFolder);
  const other = kept === undefined ? path : join(kept, basename(path));
  return !existsSync(path) && existsSync(other) ? other : path;
}

/**
 * Where a kept file is written: in the folder of all kept rows, in that of a migration. Whatever a script or a
 * ledger says, it is nowhere else.
 */
function keptPath(file: string, kept: string | undefined, keptFolder: string): string {
  if (!/^[^/\\\p{Cc}]+$/u.test(file) || file.startsWith(".")) {
    throw new NoWay(`\`${file}\` can't be the name of a file of kept rows. Correct the script.`);
  }
  return join(keptFolder, kept === undefined ? "" : basename(kept), `${file}.jsonl.gz`);
}

/** The folder for what a run that begins now deletes. */
export function keptFolderOf(keptFolder: string, name: string): string {
  return join(keptFolder, `${name}-${new Date().toISOString().replace(/[-:.]/g, "")}`);
}

/** Runs the parts of a script in order. */
export class ScriptRun {
  readonly findings: Finding[] = [];
  readonly #held = new Map<string, () => Promise<void>>();
  readonly #temporary: string[] = [];
  #keeps = false;
  /** Tables in which rows were looked for that are newer than what is brought back. */
  readonly #searched = new Set<string>();

  constructor(
    readonly connection: ScriptConnection,
    readonly options: Run,
    /** Kept files are written into a temporary folder, which is renamed once everything has succeeded. */
    readonly folders: { begun: string; folder: string },
  ) {}

  async take(part: ScriptPart): Promise<void> {
    switch (part.kind) {
      case "run":
        return this.connection.run(part.sql);
      case "keep":
        return this.#keep(part);
      case "bring back":
        return this.#bringBack(part);
      case "assert no rows":
        return this.#refuse(part);
      case "hold triggers":
        this.#held.set(part.table, await this.connection.holdTriggers(part.table, part.columns));
        return;
      case "return triggers":
        await this.#held.get(part.table)?.();
        return;
      case "no way":
        throw noSql(part.about);
      case "step":
        return;
    }
  }

  async finish(): Promise<{ kept?: string; findings: Finding[] }> {
    for (const table of this.#temporary) await this.connection.run(`drop table ${table}`);
    if (!this.#keeps) return { findings: this.findings };
    const { begun, folder } = this.folders;
    renameSync(begun, folder);
    return { kept: folder, findings: this.findings };
  }

  abandon(): void {
    rmSync(this.folders.begun, { recursive: true, force: true });
  }

  async #keep({
    file,
    table,
    column,
    query,
  }: Extract<ScriptPart, { kind: "keep" }>): Promise<void> {
    if (!this.#keeps) {
      removeUnfinished(this.options.keptFolder);
      mkdirSync(this.folders.begun, { recursive: true, mode: 0o700 });
    }
    this.#keeps = true;
    const { columns, rows } = await this.connection.stream(query);
    const top = columns[0] === "id" ? await this.#top(table) : null;
    const path = keptPath(file, this.folders.begun, this.options.keptFolder);
    const count = await writeKept(path, { table, columns, ...(column && { column }), top }, rows);
    const place = keptPath(file, this.folders.folder, this.options.keptFolder);
    this.findings.push({ kind: "kept", file: place, rows: count });
  }

  async #top(table: string): Promise<number> {
    const [row] = await this.connection.rows<{ top: number | string | null }>(
      `select max(id) as top from ${table}`,
    );
    return Number(row?.top ?? 0);
  }

  async #bringBack({ file, table }: Extract<ScriptPart, { kind: "bring back" }>): Promise<void> {
    const path = keptBefore(file, this.options.keptBefore, this.options.keptFolder);
    const { header, rows } = await readKept(path);
    let count = 0;
    async function* counted() {
      for await (const row of rows) {
        count++;
        yield row;
      }
    }
    await this.connection.fill(table, header.columns, counted());
    this.#temporary.push(table);
    this.findings.push({ kind: "brought back", file: path, rows: count });
    await this.#findNewer(header);
  }

  async #refuse({
    sentence,
    query,
  }: Extract<ScriptPart, { kind: "assert no rows" }>): Promise<void> {
    const sample = await this.connection.rows<{ id: unknown; value: unknown }>(
      `select * from (${query}) as standing limit 5`,
    );
    if (sample.length === 0) return;
    const [counted] = await this.connection.rows<{ count: number | string }>(
      `select count(*) as count from (${query}) as standing`,
    );
    throw new RowsInTheWay(sentence, Number(counted?.count), sample);
  }

  /** Rows that were added after what is brought back had been deleted. */
  async #findNewer({ table, top }: KeptHeader): Promise<void> {
    if (top === null || this.#searched.has(table)) return;
    this.#searched.add(table);
    if (!(await this.connection.hasTable(unquoted(table)))) return;
    const newer = `from ${table} where id > ${top}`;
    const found = await this.connection.rows<{ id: number }>(
      `select id ${newer} order by id limit 5`,
    );
    if (found.length === 0) return;
    const [counted] = await this.connection.rows<{ count: number | string }>(
      `select count(*) as count ${newer}`,
    );
    const first = found.map(({ id }) => Number(id));
    this.findings.push({ kind: "newer rows", table, count: Number(counted?.count), first });
  }
}

/** Removes the folders left by runs that were killed: the rows in them are still in the database. */
function removeUnfinished(folder: string): void {
  for (const name of existsSync(folder) ? readdirSync(folder) : []) {
    const process = /\.begun-(\d+)$/.exec(name)?.[1];
    if (process && !isRunning(Number(process))) rmSync(join(folder, name), { recursive: true });
  }
}

function isRunning(id: number): boolean {
  try {
    return process.kill(id, 0);
  } catch (error) {
    return (error as { code?: string }).code === "EPERM";
  }
}

/** A quoted name without its quotes. */
export function unquoted(name: string): string {
  const mark = name.charAt(0);
  return mark === '"' || mark === "`" ? name.slice(1, -1).replaceAll(mark + mark, mark) : name;
}
