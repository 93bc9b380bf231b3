import { existsSync } from "node:fs";
import { join } from "node:path";
import {
  type EntityPart,
  entityParts,
  folderOf,
  type GeneratedFile,
  isWrittenOnce,
  sharedFiles,
} from "../../core/appgen/application.ts";
import { type Renames, renamesBetween } from "../../core/appgen/renames.ts";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import { Compiler } from "../../io/compiler/compiler.ts";
import { formatFiles } from "../../io/formatting/formatter.ts";
import { generator, kitFiles, version, versions } from "../../io/package.ts";
import { readText, type Write } from "../../io/project/files.ts";
import { readScripts } from "../../io/project/migrations.ts";
import type { Project } from "../../io/project/project.ts";
import {
  copyPath,
  type FileRecord,
  fileChecksum,
  type GenerationRecord,
  readCopy,
  readRecord,
  recordWrite,
  textChecksum,
} from "../../io/project/record.ts";
import { builtModel, modelWrite } from "./built-model.ts";
import { type EditedFile, withoutOffer } from "./edited.ts";
import { formattedAsFound } from "./formatted.ts";
import { joinedFiles } from "./joined.ts";
import { type KnownFile, knownFiles, strayFiles } from "./known-files.ts";

/** What becomes of a file of the application. */
export interface FileChange {
  /** Its path within app/. */
  path: string;
  /** The path that it had, where its entity was given another name. */
  from?: string;
  /**
   * `new` and `replaced`: written as it is generated; `kept`: edited by hand, and nothing is new; `merged`: both are in it;
   * `conflict`: edited where something is new; `renamed`: only has the names
   * that the model gives by now; `removed`; `deleted`: somebody deleted
   * it, and so it isn't written.
   */
  state: "new" | "replaced" | "kept" | "merged" | "conflict" | "renamed" | "removed" | "deleted";
  /** Why there is a conflict. */
  why?: string;
}

/** What a build does, as long as nothing is changed meanwhile. */
export interface BuildPlan {
  changes: FileChange[];
  /** How many files are as they would be written. */
  unchanged: number;
  /** Whether the compiler couldn't be started, so that nobody knows whether what was merged compiles. */
  unchecked: boolean;
  writes: Write[];
}

export interface BuildOptions {
  /** Files that somebody deleted and that are written again: their paths within app/. */
  restore?: readonly string[];
  /** A compiler that was started before, and that whoever started it closes; without it, one is started where there is something to join. */
  compiler?: Compiler | undefined;
}

/** Finds out what a build of the application does. Nothing is written. */
export async function planBuild(
  project: Project,
  model: Model,
  { restore = [], compiler: ahead }: BuildOptions = {},
): Promise<BuildPlan> {
  const record = readRecord(project);
  const renames = renamesBetween(builtModel(project), model);
  const parts = partsOf(project, record, model);
  const same = parts.flatMap(({ known, isSame }) => (isSame ? known : []));
  const files = withSources([
    ...sharedFiles(model, versions),
    ...parts.flatMap(({ files, isSame }) => (isSame ? [] : files())),
    ...kitFiles(model.app.database),
    ...migrationFiles(project, model),
  ]);
  const known = knownFiles(project, record, renames);
  const places = files.map((file) => placeOf(project, record, known.get(file.path), file));
  const plan = new Plan(project, renames);
  for (const { path, record: each, isEdited } of same) {
    if (isEdited) plan.keep(path, { from: path, record: each }, "kept");
    else plan.leave(path, each);
  }
  const changed: Place[] = [];
  const deleted = deletedFiles(project, places, restore);
  for (const place of places) {
    const { file, there, known: each, fresh } = place;
    if (deleted.has(file.path) && each) plan.stayDeleted(file.path, each);
    else if (!fresh && each && there === each.record.written && each.from === file.path) {
      plan.leave(file.path, each.record);
    } else changed.push(place);
  }
  const edited: EditedFile[] = [];
  for (const place of await finished(project, changed)) {
    const found = plan.write(place);
    if (found) edited.push(found);
  }
  plan.moveStrays(record);
  let own: Compiler | undefined;
  try {
    await plan.join(edited, () => {
      if (ahead) return ahead;
      own ??= new Compiler(project.app);
      return own;
    });
  } finally {
    own?.close();
  }
  await plan.format();
  const wanted = new Set([...files.map(({ path }) => path), ...same.map(({ path }) => path)]);
  for (const [path, each] of known) if (!wanted.has(path)) plan.remove(each);
  // What somebody wrote in the place of a file, or hasn't seen to yet, is looked at again the next time.
  const open = new Set(
    plan.changes.flatMap(({ path, state }) =>
      state === "conflict" || (state === "kept" && !plan.files[path]) ? [folderOf(path)] : [],
    ),
  );
  const entities = Object.fromEntries(
    parts.flatMap(({ entity, folder, digest }) =>
      digest === undefined || open.has(folder) ? [] : [[entity, digest] as const],
    ),
  );
  return {
    changes: plan.changes,
    unchanged: plan.unchanged,
    unchecked: plan.unchecked,
    writes: [
      ...plan.writes(),
      recordWrite(project, { levadura: version, entities, files: plan.files }),
      modelWrite(project, model),
    ],
  };
}

/** Gathers what a build does with each file. */
class Plan {
  readonly changes: FileChange[] = [];
  unchanged = 0;
  unchecked = false;
  /** What will be recorded. */
  readonly files: Record<string, FileRecord> = {};
  /** The texts of files of the application; null where one goes. */
  readonly #texts = new Map<string, string | null>();
  readonly #beside: Write[] = [];

  constructor(
    readonly project: Project,
    readonly renames: Renames,
  ) {}

  writes(): Write[] {
    const { app } = this.project;
    const texts = [...this.#texts].map(([path, text]) => ({ path: join(app, path), text }));
    return [...texts, ...this.#beside];
  }

  /** Leaves a file that is as it would be written. */
  leave(path: string, record: FileRecord): void {
    this.files[path] = record;
    this.unchanged++;
  }

  /** Leaves a file as somebody made it. */
  keep(path: string, { record }: KnownFile, state: FileChange["state"]): void {
    this.files[path] = record;
    this.changes.push({ path, state });
  }

  /** Leaves a file out that somebody deleted. Its copy, by which that is known, follows another name. */
  stayDeleted(path: string, known: KnownFile): void {
    this.keep(path, known, "deleted");
    if (known.from === path) return;
    this.#beside.unshift({ path: copyPath(this.project, known.from), text: null });
    const text = readCopy(this.project, known.from) ?? "";
    this.#beside.push({ path: copyPath(this.project, path), text });
  }

  /** Writes a file as it is generated; gives it back where somebody edited it. */
  write({ text, file, there, known }: Place & { text: string }): EditedFile | undefined {
    const { path, source } = file;
    const written = textChecksum(text);
    const from = known?.from ?? path;
    const isTouched = there !== undefined && there !== written && there !== known?.record.written;
    if (isWrittenOnce(path) && there !== undefined && (isTouched || from === path)) {
      this.#writeOnce(path, text, known, { source, written });
      return undefined;
    }
    if (isTouched && known) {
      return { path, from, known: known.record, fresh: { text, source, written } };
    }
    if (isTouched) {
      this.changes.push({ path, state: "kept" });
      return undefined;
    }
    this.files[path] = { source, written };
    if (known) this.#beside.push(...withoutOffer(this.project, from, known.record));
    if (there === written && from === path) this.unchanged++;
    else {
      this.#put(path, from, text);
      const state = there === undefined ? "new" : "replaced";
      this.changes.push({ path, state, ...(from !== path && { from }) });
    }
    if (known?.record.written !== written || from !== path)
      this.#beside.push({ path: copyPath(this.project, path), text });
  }

  /** A file that belongs to whoever edits it follows new names, and nothing else. */
  #writeOnce(path: string, fresh: string, known: KnownFile | undefined, now: FileRecord): void {
    const from = known?.from ?? path;
    const found = readText(join(this.project.app, from)) ?? "";
    const base = known && readCopy(this.project, from);
    const { mine } = this.renames.inFile({ path, base, mine: found, fresh });
    const isMoved = from !== path;
    if (known) this.files[path] = isMoved || mine !== found ? now : known.record;
    if (!isMoved && mine === found) return;
    this.#put(path, from, mine);
    this.#beside.push({ path: copyPath(this.project, path), text: fresh });
    this.changes.push({ path, state: "renamed", ...(isMoved && { from }) });
  }

  /** Joins edited files with what is generated for them by now. */
  async join(files: readonly EditedFile[], compiler: () => Compiler): Promise<void> {
    const { joined, unchecked } = await joinedFiles(
      this.project,
      this.renames,
      files,
      this.#texts,
      compiler,
    );
    this.unchecked = unchecked;
    for (const [{ path, from }, edited] of joined) {
      this.files[path] = edited.record;
      this.#beside.push(...edited.writes);
      const isMoved = from !== path;
      const { outcome, why } = edited;
      const text = edited.text ?? (isMoved ? readText(join(this.project.app, from)) : undefined);
      if (text !== undefined) this.#put(path, from, text);
      const state = outcome === "kept" && isMoved ? "renamed" : outcome;
      this.changes.push({ path, state, ...(isMoved && { from }), ...(why && { why }) });
    }
  }

  /** Formats files that only have other names, where they were formatted before. */
  async format(): Promise<void> {
    const files = this.changes.flatMap(({ path, from = path, state }) => {
      const text = state === "renamed" ? this.#texts.get(path) : undefined;
      const found = readText(join(this.project.app, from)) ?? "";
      return typeof text === "string" ? [{ path, found, text }] : [];
    });
    if (files.length === 0) return;
    for (const [path, text] of await formattedAsFound(files)) this.#texts.set(path, text);
  }

  /** Removes a file that is generated no more; what somebody edited stays. */
  remove({ from, record }: KnownFile): void {
    const there = fileChecksum(join(this.project.app, from));
    if (there === undefined || there === record.written) {
      if (!this.#texts.has(from)) this.#texts.set(from, null);
      this.#beside.push({ path: copyPath(this.project, from), text: null });
      this.#beside.push(...withoutOffer(this.project, from, record));
      this.changes.push({ path: from, state: "removed" });
    } else this.keep(from, { from, record }, "kept");
  }

  /** Takes along what somebody wrote into the folder of an entity that has another name by now. */
  moveStrays(record: GenerationRecord): void {
    for (const { path, from } of strayFiles(this.project, this.renames, record)) {
      const found = readText(join(this.project.app, from)) ?? "";
      const { mine } = this.renames.inFile({
        path,
        base: undefined,
        mine: found,
        fresh: undefined,
      });
      this.#put(path, from, mine);
      this.changes.push({ path, state: "renamed", from });
    }
  }

  #put(path: string, from: string, text: string): void {
    this.#texts.set(path, text);
    if (from === path) return;
    if (!this.#texts.has(from)) this.#texts.set(from, null);
    this.#beside.unshift({ path: copyPath(this.project, from), text: null });
  }
}

type Sourced = GeneratedFile & { source: string };

/** The files of an entity, and what is known of them. */
interface Part extends EntityPart {
  /** A checksum of what they are made of and made by; undefined where that isn't known. */
  digest: string | undefined;
  known: EntityFile[];
  /** Whether they are all there, and nothing else would be generated for them than the last time. */
  isSame: boolean;
}

interface EntityFile {
  path: string;
  record: FileRecord;
  /** Whether somebody edited it; what belongs to them anyway isn't asked. */
  isEdited: boolean;
}

function partsOf(project: Project, record: GenerationRecord, model: Model): Part[] {
  const recorded = new Map<string | undefined, [string, FileRecord][]>();
  for (const file of Object.entries(record.files)) {
    const folder = folderOf(file[0]);
    recorded.set(folder, [...(recorded.get(folder) ?? []), file]);
  }
  return entityParts(model).map((part) => {
    const digest = generator && textChecksum(`${version} ${generator}\n${part.basis}`);
    const found = (recorded.get(part.folder) ?? []).map(([path, each]) => ({
      path,
      record: each,
      there: checksumOf(project, path),
    }));
    const isSame =
      digest !== undefined &&
      record.entities[part.entity] === digest &&
      found.every(({ there, record: { offered } }) => there !== undefined && !offered);
    const known = found.map(({ path, record: each, there }) => ({
      path,
      record: each,
      isEdited: there !== each.written && !isWrittenOnce(path),
    }));
    return { ...part, digest, known, isSame };
  });
}

/** The checksum of a file of the application; undefined where it isn't there. */
function checksumOf(project: Project, path: string): string | undefined {
  return fileChecksum(join(project.app, path));
}

function withSources(files: readonly GeneratedFile[]): Sourced[] {
  return files.map((file) => ({ ...file, source: textChecksum(file.text) }));
}

/** A file, its state in the application, and whether the generator gives the same text as last time. */
interface Place {
  file: Sourced;
  /** The checksum of what is there; undefined where nothing is. */
  there: string | undefined;
  known: KnownFile | undefined;
  fresh: boolean;
}

function placeOf(
  project: Project,
  record: GenerationRecord,
  known: KnownFile | undefined,
  file: Sourced,
): Place {
  const from = known?.from ?? file.path;
  const fresh =
    record.levadura !== version || known?.record.source !== file.source || from !== file.path;
  return { file, there: checksumOf(project, from), known, fresh };
}

/**
 * What somebody deleted; nothing, where the whole application isn't there. A file whose copy isn't there either was never
 * fetched from version control.
 */
function deletedFiles(
  project: Project,
  places: readonly Place[],
  restore: readonly string[],
): Set<string> {
  const gone = places.filter(
    ({ there, known }) => known && there === undefined && existsSync(copyPath(project, known.from)),
  );
  const paths = new Set(gone.map(({ file }) => file.path));
  for (const name of restore) {
    const path = name.replace(/^app\//, "");
    if (!paths.delete(path)) {
      throw new Failure(
        "usage",
        `--restore ${name}: no file of that path was deleted`,
        "`levadura build --dry-run` names those that were",
      );
    }
  }
  return existsSync(join(project.app, "src")) ? paths : new Set();
}

/** The files as they are written. What didn't change isn't formatted again. */
async function finished(
  project: Project,
  places: readonly Place[],
): Promise<(Place & { text: string })[]> {
  const copies = new Map<string, string>();
  for (const { file, fresh } of places) {
    const copy = fresh ? undefined : readCopy(project, file.path);
    if (copy !== undefined) copies.set(file.path, copy);
  }
  const raw = places
    .map(({ file }) => file)
    .filter(({ path }) => !copies.has(path) && !path.startsWith("src/kit/"));
  const formatted = new Map((await formatFiles(raw)).map(({ path, text }) => [path, text]));
  return places.map((place) => {
    const { path, text } = place.file;
    return { ...place, text: copies.get(path) ?? formatted.get(path) ?? text };
  });
}

function migrationFiles(project: Project, model: Model): GeneratedFile[] {
  const dialect = dialectOf(model);
  return readScripts(project, dialect).flatMap(({ name, forward, back }) => [
    { path: `migrations/${name}/forward.${dialect.name}.sql`, text: forward },
    { path: `migrations/${name}/back.${dialect.name}.sql`, text: back },
  ]);
}
