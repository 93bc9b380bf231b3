import { existsSync, readdirSync } from "node:fs";
import { join } from "node:path";
import { putFilesBack, setAsideNote } from "../../../kit/files/use.ts";
import { nearest } from "../../../kit/formula/nearest.ts";
import { replay } from "../../core/evolution/steps.ts";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import { schemaOf } from "../../core/schema/from-model.ts";
import { type Column, type Schema, type Table, tableNamed } from "../../core/schema/schema.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import type { Engine } from "../../io/engines/engine.ts";
import { entryNamed, type KeptRows, keptEntries, keptRows } from "../../io/project/kept.ts";
import { readMigrations } from "../../io/project/migrations.ts";
import type { Project } from "../../io/project/project.ts";
import { withDatabase } from "../database.ts";
import { filesOf } from "../files/location.ts";
import { reached } from "../files/tidy.ts";
import { requireMigrated } from "../migrate/migrate.ts";
import type { Report } from "../report.ts";

/** Something that was kept, and what is in it. */
export interface KeptSummary {
  name: string;
  /** When, as `2026-05-03T07:00:00.000Z`. */
  time: string;
  holds: { table: string; column?: string; rows: number }[];
  /** How many files that were in use no more. */
  files?: number;
}

/** What was kept in a project before it was deleted, oldest first. */
export async function listKept(project: Project): Promise<KeptSummary[]> {
  const summaries: KeptSummary[] = [];
  for (const entry of keptEntries(project)) {
    const holds: KeptSummary["holds"] = [];
    for (const { table, column, read } of await keptRows(entry)) {
      let rows = 0;
      for await (const _ of read()) rows++;
      if (rows > 0) holds.push({ table, ...(column && { column }), rows });
    }
    const files = await filesKept(entry.path);
    const time = new Date(entry.time).toISOString();
    summaries.push({ name: entry.name, time, holds, ...(files > 0 && { files }) });
  }
  return summaries;
}

/** How many files that were in use no more are in a folder. */
async function filesKept(folder: string): Promise<number> {
  if (!existsSync(join(folder, setAsideNote))) return 0;
  return readdirSync(folder).filter((name) => /^[0-9a-f]{32}$/.test(name)).length;
}

/** Puts files that were in use no more back where files are; undefined where nothing of them was kept under the name. */
export async function restoreFiles(project: Project, name: string): Promise<number | undefined> {
  const entry = entryNamed(keptEntries(project), name);
  if (!entry || !existsSync(join(entry.path, setAsideNote))) return undefined;
  return reached(() => putFilesBack(filesOf(project), entry.path));
}

/** The result of restoring a table's rows, or the values of one of its columns. */
export interface Restored {
  table: string;
  column?: string;
  restored: number;
  /** Rows that are in the database already, or have another value by now: they stay as they are. */
  there: number;
  /** Rows that the database refuses, the first of them with the reason. */
  refused: { count: number; first: { id: unknown; reason: string }[] };
  /** Why nothing of it can be put back. */
  impossible?: string;
}

/**
 * Puts kept rows and values back into the database. Rows that are there stay as they are, and so do values; what
 * no longer fits is told. All of it is done in one transaction.
 */
export async function restoreKept(
  project: Project,
  model: Model,
  name: string,
  report: Report,
): Promise<Restored[]> {
  await requireMigrated(project, model);
  const entries = keptEntries(project);
  const entry = entryNamed(entries, name);
  if (!entry) {
    const close = nearest(
      name,
      entries.map((each) => each.name),
    );
    const help = close ? `did you mean ${close}?` : "`levadura kept` lists what there is";
    throw new Failure("usage", `nothing is kept under the name ${name}`, help);
  }
  const migrations = readMigrations(project, dialectOf(model));
  const schema = replay(migrations.flatMap(({ steps }) => steps));
  const order = schemaOf(model).tables.map((table) => table.name);
  const sources = (await keptRows(entry)).sort(
    (a, b) => place(order, a) - place(order, b) || a.table.localeCompare(b.table),
  );
  return withDatabase(project, async (engine) => {
    const work: Restoring[] = [];
    for (const [at, source] of sources.entries()) {
      report({ kind: "working", on: `reading the kept rows of ${source.table}` });
      work.push(await stage(engine, schema, source, `levadura_kept_${at}`));
    }
    const results = await engine.transaction(async () => {
      // What refers to rows that come later is tried again once these are there.
      for (let more = true; more; ) {
        more = false;
        for (const each of work) {
          report({ kind: "working", on: `putting back rows of ${each.result.table}` });
          if ((await putBack(engine, each)) > 0) more = true;
        }
        if (work.every(({ waiting }) => waiting.length === 0)) break;
      }
      return work.map(({ result }) => result);
    });
    for (const { staged } of work) {
      if (staged) await engine.migrations.run(`drop table ${staged}`);
    }
    return results;
  });
}

/** Values come after the rows that they belong to, and links after both of their ends. */
function place(order: readonly string[], { table, column }: KeptRows): number {
  return order.indexOf(table) + (column === undefined ? 0 : order.length);
}

/** Kept rows that lie ready in a temporary table, and those of them that aren't put back yet. */
interface Restoring {
  result: Restored;
  staged?: string;
  waiting: number[];
  /** What puts some of them back, by their numbers in the temporary table. */
  statement(ids: string): string;
}

async function stage(
  engine: Engine,
  schema: Schema,
  source: KeptRows,
  staged: string,
): Promise<Restoring> {
  const { quoted } = engine.dialect;
  const result: Restored = {
    table: source.table,
    ...(source.column && { column: source.column }),
    restored: 0,
    there: 0,
    refused: { count: 0, first: [] },
  };
  const table = tableNamed(schema, source.table);
  const impossible = whyImpossible(table, source);
  if (!table || impossible) {
    const nothing = { waiting: [], statement: () => "" };
    return { result: { ...result, impossible: impossible ?? "" }, ...nothing };
  }
  const hasId = source.columns[0] === "id";
  const columns = hasId ? source.columns : ["id", ...source.columns];
  let number = 0;
  async function* numbered() {
    for await (const row of source.read()) yield hasId ? row : [++number, ...row];
  }
  await engine.migrations.fill(staged, columns, numbered());
  const goal = quoted(table.name);
  const value = (column: Column) => engine.dialect.keptValue(`k.${quoted(column.name)}`, column);
  const taken = table.columns.filter(({ name }) => source.columns.includes(name));
  const there = source.column
    ? `select t.${quoted("id")} from ${goal} t where t.${quoted(source.column)} is not null`
    : hasId
      ? `select t.${quoted("id")} from ${goal} t`
      : `select k.${quoted("id")} from ${staged} k join ${goal} t on ${taken.map((column) => `t.${quoted(column.name)} = ${value(column)}`).join(" and ")}`;
  const gone = source.column
    ? ` and k.${quoted("id")} in (select t.${quoted("id")} from ${goal} t)`
    : "";
  const all = await numbersOf(engine, `select k.${quoted("id")} as id from ${staged} k`);
  const waiting = await numbersOf(
    engine,
    `select k.${quoted("id")} as id from ${staged} k where k.${quoted("id")} not in (${there})${gone}`,
  );
  result.there = all.length - waiting.length;
  const single = table.columns.find(({ name }) => name === source.column);
  const statement = single
    ? (ids: string) =>
        `update ${goal} set ${quoted(single.name)} = (select ${engine.dialect.keptValue(`k.${quoted("value")}`, single)} from ${staged} k where k.${quoted("id")} = ${goal}.${quoted("id")}), ${quoted("version")} = ${quoted("version")} + 1 where ${quoted("id")} in (${ids})`
    : (ids: string) =>
        `insert into ${goal} (${taken.map(({ name }) => quoted(name)).join(", ")}) select ${taken.map(value).join(", ")} from ${staged} k where k.${quoted("id")} in (${ids})`;
  return { result, staged, waiting, statement };
}

function whyImpossible(table: Table | undefined, source: KeptRows): string | undefined {
  if (!table) return `there is no longer a table ${source.table}`;
  if (source.column) {
    const there = table.columns.some(({ name }) => name === source.column);
    return there ? undefined : `${table.name} no longer has a column ${source.column}`;
  }
  const lacking = table.columns.find(
    ({ name, required, default: start }) =>
      required && start === undefined && !source.columns.includes(name),
  );
  return lacking ? `${table.name}.${lacking.name} is required, and was not kept` : undefined;
}

async function numbersOf(engine: Engine, query: string): Promise<number[]> {
  const rows = await engine.migrations.rows<{ id: unknown }>(query);
  return rows.map(({ id }) => Number(id));
}

/** Rows that are put back by one statement. */
const atOnce = 500;

/** Tries to restore the rows that are left. Returns how many it restored. */
async function putBack(engine: Engine, work: Restoring): Promise<number> {
  const ids = work.waiting;
  work.waiting = [];
  work.result.refused = { count: 0, first: [] };
  let done = 0;
  for (let at = 0; at < ids.length; at += atOnce) {
    done += await putBackSome(engine, work, ids.slice(at, at + atOnce));
  }
  work.result.restored += done;
  return done;
}

/** Puts rows back together; where the database refuses them, half by half, down to the row that is refused. */
async function putBackSome(engine: Engine, work: Restoring, ids: number[]): Promise<number> {
  await engine.migrations.run("savepoint levadura_restore");
  try {
    await engine.migrations.rows(work.statement(ids.join(", ")));
    await engine.migrations.run("release savepoint levadura_restore");
    return ids.length;
  } catch (error) {
    const refusal = engine.constraintViolation(error);
    if (!refusal) throw error;
    await engine.migrations.run("rollback to savepoint levadura_restore");
    await engine.migrations.run("release savepoint levadura_restore");
    if (ids.length > 1) {
      const half = ids.length >> 1;
      const first = await putBackSome(engine, work, ids.slice(0, half));
      return first + (await putBackSome(engine, work, ids.slice(half)));
    }
    const { refused } = work.result;
    refused.count++;
    if (refused.first.length < 5)
      refused.first.push({ id: ids[0], reason: reasons[refusal.reason] });
    work.waiting.push(...ids);
    return 0;
  }
}

const reasons = {
  unique: "another row has a value that must be unique",
  reference: "a row that it refers to is not there",
  check: "a value no longer fits the model",
} as const;
