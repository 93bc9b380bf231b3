import { copyFileSync, existsSync, readdirSync } from "node:fs";
import { basename, join } from "node:path";
import { Failure } from "../../core/failure.ts";
import type { Entity, Model } from "../../core/model/model.ts";
import { entityNamed } from "../../core/model/model.ts";
import { slugOf } from "../../core/naming/words.ts";
import { matchingFields } from "../../core/tabular/entity-keys.ts";
import { KeySet } from "../../core/tabular/keys.ts";
import { readText, type Write, writeAll } from "../../io/project/files.ts";
import { dataFile, type Project } from "../../io/project/project.ts";
import { CsvWriter, readDataFile } from "../../io/sheets/data-files.ts";
import { TemporaryFolder } from "../../io/sheets/temporary.ts";
import { supportFiles } from "../begin/begin.ts";
import { pendingChanges } from "../changes/changes.ts";
import { hasDatabase, withDatabase } from "../database.ts";
import { migrationHistory } from "../migrate/migrate.ts";
import type { Report } from "../report.ts";
import type { DataSource } from "./data-source.ts";
import { copiesOf } from "./files-beside.ts";
import { checksumOf, fileSource, type LoadOptions, loadData, loadedChecksums } from "./load.ts";
import type { Loaded } from "./loaded.ts";
import type { PreparedImport } from "./prepare.ts";

/** What an import wrote. */
export interface KeptImport {
  /** Paths within the project. */
  files: string[];
  /** How many of them are copies of files that cells name. */
  copied: number;
  /** What loading did with the rows; undefined when the database has to be brought to the model first. */
  loaded: Loaded[] | undefined;
}

/** What would become of the rows in the database; undefined when it isn't ready for them. */
export async function previewLoading(
  prepared: PreparedImport,
  options: LoadOptions,
  report: Report,
): Promise<Loaded[] | undefined> {
  if (!(await isReady(prepared))) return undefined;
  const files = await dataFiles(prepared.data, prepared.model);
  return loadData(
    prepared.project,
    prepared.model,
    files,
    { ...options, dry: true, folders: prepared.folders },
    report,
  );
}

/** Whether the database is there and has the tables of the model that the import gives. */
async function isReady({ project, model, existing }: PreparedImport): Promise<boolean> {
  if (existing === undefined || !(await hasDatabase(project))) return false;
  const changes = pendingChanges(project, model);
  if (changes.changes.length > 0) return false;
  const history = await migrationHistory(project, model);
  return history.every(({ state }) => state === "applied");
}

async function dataFiles(
  data: readonly { entity: string; path: string }[],
  model: Model,
): Promise<DataSource[]> {
  return Promise.all(data.map(({ entity, path }) => fileSource(entityNamed(model, entity), path)));
}

/** Writes model, data, what was set aside, and the plan: all of it, or nothing. Loads the rows where the database is ready. */
export async function keepImport(
  prepared: PreparedImport,
  options: LoadOptions,
  report: Report,
): Promise<KeptImport> {
  const { project, plan, model, modelText, existing, data, setAside } = prepared;
  if (readText(project.model) !== existing) {
    throw new Failure(
      "input",
      "model.yaml was changed since the sheets were looked at; nothing was written",
      "run the same command again",
    );
  }
  const ready = await isReady(prepared);
  for (const each of data)
    await joinEarlier(project, entityNamed(model, each.entity), each, report);
  const writes: Write[] = [];
  const add = (path: string, write: { text: string } | { copyOf: string }) =>
    writes.push({ path: join(project.root, path), secret: "copyOf" in write, ...write });
  if (modelText !== existing) add("model.yaml", { text: modelText });
  for (const { path, text } of supportFiles(plan.app.name)) {
    if (!existsSync(join(project.root, path))) add(path, { text });
  }
  const copies = data.flatMap(({ entity, path }) =>
    copiesOf(project, entityNamed(model, entity), path, prepared.folders),
  );
  for (const { entity, path } of data) {
    add(join("data", `${entity}.csv`), { copyOf: path });
  }
  const name = slugOf(basename(plan.sheets[0]?.file ?? "").replace(/\.[^.]*$/, "")) || "sheet";
  if (setAside.count > 0)
    add(unusedName(project, join("data", "set-aside"), name, "csv"), { copyOf: setAside.path });
  if (!isKept(project, prepared.planText))
    add(unusedName(project, "imports", name, "yaml"), { text: prepared.planText });
  writes.push(...copies);
  const copied = copies.length;
  const folder = new TemporaryFolder();
  try {
    const before = writes.map(({ path, secret }) => asItIs(path, secret ?? false, folder));
    writeAll(writes, project.root);
    const files = writes.map(({ path }) => path.slice(project.root.length + 1));
    if (!ready) return { files, copied, loaded: undefined };
    const written = await dataFiles(
      data.map(({ entity }) => ({ entity, path: dataFile(project, entity) })),
      model,
    );
    try {
      return { files, copied, loaded: await loadData(project, model, written, options, report) };
    } catch (error) {
      // What can't be loaded would be in the way of the next import, and of `rise`.
      writeAll(before, project.root);
      throw error;
    }
  } finally {
    folder.remove();
  }
}

/** Whether a plan is among those of earlier imports. */
function isKept({ imports }: Project, plan: string): boolean {
  const names = existsSync(imports) ? readdirSync(imports) : [];
  return names.some((name) => name.endsWith(".yaml") && readText(join(imports, name)) === plan);
}

/** What puts a file back as it is now, or takes it away where it isn't there. */
function asItIs(path: string, secret: boolean, folder: TemporaryFolder): Write {
  if (!existsSync(path)) return { path, text: null };
  const copy = folder.newPath();
  copyFileSync(path, copy);
  return { path, secret, copyOf: copy };
}

function unusedName(project: Project, folder: string, name: string, ending: string): string {
  for (let number = 1; ; number++) {
    const path = join(folder, `${name}${number === 1 ? "" : `-${number}`}.${ending}`);
    if (!existsSync(join(project.root, path))) return path;
  }
}

/** Rows of an earlier import that no database has taken yet stay beside the new ones. */
async function joinEarlier(
  project: Project,
  entity: Entity,
  data: { path: string; rows: number },
  report: Report,
): Promise<void> {
  const earlier = dataFile(project, entity.name);
  if (!existsSync(earlier) || (await isLoaded(project, entity, earlier))) return;
  const [first] = readDataFile(earlier, basename(earlier));
  const [fresh] = readDataFile(data.path, basename(earlier));
  if (!first || !fresh) return;
  const header = [...fresh.header, ...first.header.filter((name) => !fresh.header.includes(name))];
  if (header.some((name) => !entity.fields.some((field) => field.name === name))) {
    throw new Failure(
      "input",
      `data/${entity.name}.csv has rows that no database has taken yet, with other fields than the model`,
      "run `levadura rise` first, or move the file away",
    );
  }
  const key = matchingFields(entity).map(({ name }) => name);
  const identity = (names: readonly string[], row: readonly unknown[]) =>
    key.length > 0
      ? key.map((name) => String(row[names.indexOf(name)] ?? "")).join("\u001f")
      : JSON.stringify(header.map((name) => row[names.indexOf(name)] ?? ""));
  const kept = keptValues(
    readDataFile(earlier, basename(earlier)),
    key.length > 0 ? first.header.filter((name) => !fresh.header.includes(name)) : [],
    identity,
  );
  const seen = new KeySet();
  const joined = new CsvWriter(`${data.path}-joined`, header);
  const copy = (path: string, skipSeen: boolean) => {
    for (const { rows, header: names, share } of readDataFile(path, basename(earlier))) {
      for (const row of rows) {
        const known = identity(names, row);
        if (skipSeen && seen.find(known)) continue;
        if (!skipSeen) seen.add(known, 0, 0);
        const before = skipSeen ? undefined : kept.get(known);
        joined.write(
          header.map(
            (name) => before?.get(name) ?? (row[names.indexOf(name)] as string | undefined) ?? null,
          ),
        );
      }
      report({ kind: "progress", on: `joining data/${entity.name}.csv`, rows: joined.rows, share });
    }
  };
  copy(data.path, false);
  copy(earlier, true);
  joined.close();
  data.path = joined.path;
  data.rows = joined.rows;
}

/** What rows have in some columns that the new file doesn't have, by what tells the rows apart. */
function keptValues(
  steps: Iterable<{ rows: readonly (readonly unknown[])[]; header: string[] }>,
  columns: readonly string[],
  identity: (names: readonly string[], row: readonly unknown[]) => string,
): Map<string, Map<string, string>> {
  const kept = new Map<string, Map<string, string>>();
  if (columns.length === 0) return kept;
  for (const { rows, header } of steps) {
    for (const row of rows) {
      const values = columns.flatMap((name): [string, string][] => {
        const value = row[header.indexOf(name)];
        return typeof value === "string" && value !== "" ? [[name, value]] : [];
      });
      if (values.length > 0) kept.set(identity(header, row), new Map(values));
    }
  }
  return kept;
}

async function isLoaded(project: Project, entity: Entity, path: string): Promise<boolean> {
  if (!(await hasDatabase(project))) return false;
  const checksum = await checksumOf(path);
  const loaded = await withDatabase(project, loadedChecksums);
  return loaded.get(entity.name) === checksum;
}
