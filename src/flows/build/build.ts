import { join } from "node:path";
import {
  type EntityPart,
  entityParts,
  folderOf,
  type GeneratedFile,
  sharedFiles,
} from "../../core/appgen/application.ts";
import type { Model } from "../../core/model/model.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import { formatFiles } from "../../io/formatting/formatter.ts";
import { generator, kitFiles, version, versions } from "../../io/package.ts";
import { readText, type Write, writeAll } from "../../io/project/files.ts";
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
import type { Report } from "../report.ts";

/** The result of a build. */
export interface Built {
  written: number;
  unchanged: number;
  removed: number;
  /** Files that somebody edited, or wrote, and that were left as they are. */
  kept: string[];
  /** The paths of what was written and removed, within app/. */
  files: { written: string[]; removed: string[] };
}

/**
 * Writes the application: files that nobody touched are replaced, edited ones are left alone and named. A dry run
 * only gives what it would do.
 */
export async function buildApplication(
  project: Project,
  model: Model,
  report: Report,
  { dry = false }: { dry?: boolean } = {},
): Promise<Built> {
  report({ kind: "working", on: "building app/" });
  const record = readRecord(project);
  const parts = partsOf(project, record, model);
  const same = parts.flatMap(({ known, isSame }) => (isSame ? known : []));
  const files = withSources([
    ...sharedFiles(model, versions),
    ...parts.flatMap(({ files, isSame }) => (isSame ? [] : files())),
    ...kitFiles(model.app.database),
    ...migrationFiles(project, model),
  ]);
  const writes: Write[] = [];
  const built: Built = {
    written: 0,
    unchanged: same.length,
    removed: 0,
    kept: [],
    files: { written: [], removed: [] },
  };
  const next: Record<string, FileRecord> = Object.fromEntries(same);
  const places = files.map((file) => placeOf(project, record, file));
  const changed = places.filter(({ there, known, fresh, file }) => {
    if (fresh || there === undefined || there !== known?.written) return true;
    next[file.path] = known;
    built.unchanged++;
    return false;
  });
  for (const { text, file, there, known } of await finished(project, changed)) {
    const { path, source, once } = file;
    const written = textChecksum(text);
    const touched = there !== undefined && there !== written && there !== known?.written;
    if (touched || (once && there !== undefined)) {
      if (!once) built.kept.push(path);
      if (known) next[path] = known;
      continue;
    }
    next[path] = { source, written };
    if (there === written) built.unchanged++;
    else {
      writes.push({ path: join(project.app, path), text });
      built.files.written.push(path);
      built.written++;
    }
    if (known?.written !== written) writes.push({ path: copyPath(project, path), text });
  }
  const wanted = new Set([...files.map(({ path }) => path), ...same.map(([path]) => path)]);
  for (const [path, known] of Object.entries(record.files)) {
    if (wanted.has(path)) continue;
    const there = checksumOf(project, path);
    if (there !== undefined && there !== known.written) {
      built.kept.push(path);
      next[path] = known;
    } else {
      writes.push(
        { path: join(project.app, path), text: null },
        { path: copyPath(project, path), text: null },
      );
      built.files.removed.push(path);
      built.removed++;
    }
  }
  if (dry) return built;
  const entities = digestsOf(parts, built);
  writes.push(
    recordWrite(project, { levadura: version, entities, files: next }),
    modelWrite(project, model),
  );
  writeAll(writes, project.root);
  const { written, kept, removed } = built;
  report({ kind: "built", written, kept, removed });
  return built;
}

type Sourced = GeneratedFile & { source: string };

/** The files of an entity, and what is known of them. */
interface Part extends EntityPart {
  /** A checksum of what they are made of and made by; undefined where that isn't known. */
  digest: string | undefined;
  known: [string, FileRecord][];
  /** Whether they are there as they were written, and would be made again as they are. */
  isSame: boolean;
}

function partsOf(project: Project, record: GenerationRecord, model: Model): Part[] {
  const recorded = new Map<string | undefined, [string, FileRecord][]>();
  for (const file of Object.entries(record.files)) {
    const folder = folderOf(file[0]);
    recorded.set(folder, [...(recorded.get(folder) ?? []), file]);
  }
  return entityParts(model).map((part) => {
    const digest = generator && textChecksum(`${version} ${generator}\n${part.basis}`);
    const known = recorded.get(part.folder) ?? [];
    const isSame =
      digest !== undefined &&
      record.entities[part.entity] === digest &&
      known.every(([path, { written }]) => checksumOf(project, path) === written);
    return { ...part, digest, known, isSame };
  });
}

/** What is recorded of the entities. A file that was left alone isn't what its entity gives, whatever is done to it later. */
function digestsOf(parts: readonly Part[], { kept }: Built): Record<string, string> {
  const left = new Set(kept.map(folderOf));
  const known = parts.flatMap(({ entity, folder, digest }) =>
    digest === undefined || left.has(folder) ? [] : [[entity, digest] as const],
  );
  return Object.fromEntries(known);
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
  known: FileRecord | undefined;
  fresh: boolean;
}

function placeOf(project: Project, record: GenerationRecord, file: Sourced): Place {
  const known = record.files[file.path];
  const fresh = record.levadura !== version || known?.source !== file.source;
  return { file, there: checksumOf(project, file.path), known, fresh };
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

function modelPath(project: Project): string {
  return join(project.record, "model.json");
}

/** The model that the application was built from, without places in its text. */
function modelWrite(project: Project, model: Model): Write {
  const text = JSON.stringify(model, (key, value) => (key === "at" ? undefined : value), 1);
  return { path: modelPath(project), text: `${text}\n` };
}

/** The model that the application was built from last; undefined where it wasn't yet. */
export function builtModel(project: Project): Model | undefined {
  try {
    const model = JSON.parse(readText(modelPath(project)) ?? "") as Model;
    const at = { start: 0, end: 0 };
    const entities = model.entities.map((entity) => ({
      ...entity,
      at,
      fields: entity.fields.map((field) => ({ ...field, at })),
    }));
    return { ...model, entities };
  } catch {
    return undefined;
  }
}
