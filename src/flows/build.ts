import { join } from "node:path";
import { type GeneratedFile, generateApplication } from "../core/appgen/application.ts";
import type { Model } from "../core/model/model.ts";
import { formatFiles } from "../io/formatting/formatter.ts";
import { kitFiles, version, versions } from "../io/package.ts";
import { readText, type Write, writeAll } from "../io/project/files.ts";
import { readMigrations } from "../io/project/migrations.ts";
import type { Project } from "../io/project/project.ts";
import {
  copyPath,
  type FileRecord,
  readCopy,
  readRecord,
  recordWrite,
  textChecksum,
} from "../io/project/record.ts";
import { dialectOf } from "./draft.ts";
import type { Report } from "./report.ts";

/** What building did. */
export interface Built {
  written: number;
  unchanged: number;
  removed: number;
  /** Files that somebody edited, or wrote, and that were left as they are. */
  kept: string[];
}

/** Writes the application: files that nobody touched are replaced, edited ones are left alone and named. */
export async function buildApplication(
  project: Project,
  model: Model,
  report: Report,
): Promise<Built> {
  const record = readRecord(project);
  const files = await finished(project, record, generated(project, model));
  const writes: Write[] = [];
  const built: Built = { written: 0, unchanged: 0, removed: 0, kept: [] };
  const next: Record<string, FileRecord> = {};
  for (const { path, text, source, once } of files) {
    const known = record.files[path];
    const there = readText(join(project.app, path));
    const written = textChecksum(text);
    const touched =
      there !== undefined &&
      textChecksum(there) !== written &&
      textChecksum(there) !== known?.written;
    if (touched || (once && there !== undefined)) {
      if (!once) built.kept.push(path);
      if (known) next[path] = known;
      continue;
    }
    next[path] = { source, written };
    if (there === undefined || textChecksum(there) !== written) {
      writes.push({ path: join(project.app, path), text });
      built.written++;
    } else built.unchanged++;
    if (known?.written !== written || readCopy(project, path) === undefined) {
      writes.push({ path: copyPath(project, path), text });
    }
  }
  for (const [path, known] of Object.entries(record.files)) {
    if (files.some((file) => file.path === path)) continue;
    const there = readText(join(project.app, path));
    if (there !== undefined && textChecksum(there) !== known.written) {
      built.kept.push(path);
      next[path] = known;
    } else {
      writes.push(
        { path: join(project.app, path), text: null },
        { path: copyPath(project, path), text: null },
      );
      built.removed++;
    }
  }
  writes.push(recordWrite(project, { levadura: version, files: next }), modelWrite(project, model));
  writeAll(writes);
  report({ kind: "built", written: built.written, kept: built.kept, removed: built.removed });
  return built;
}

function generated(project: Project, model: Model): GeneratedFile[] {
  const dialect = dialectOf(model);
  const migrations = readMigrations(project, dialect).flatMap(({ name, sql, back }) => [
    { path: `migrations/${name}/forward.${dialect.name}.sql`, text: sql },
    { path: `migrations/${name}/back.${dialect.name}.sql`, text: back },
  ]);
  return [...generateApplication(model, versions), ...kitFiles(), ...migrations];
}

type Finished = GeneratedFile & { source: string };

/** The files as they are written. What comes out of the generator as it did last time isn't formatted again. */
async function finished(
  project: Project,
  record: ReturnType<typeof readRecord>,
  files: GeneratedFile[],
): Promise<Finished[]> {
  const sources = files.map((file) => ({ ...file, source: textChecksum(file.text) }));
  const reused = new Map<string, string>();
  if (record.levadura === version) {
    for (const { path, source } of sources) {
      const copy = record.files[path]?.source === source ? readCopy(project, path) : undefined;
      if (copy !== undefined) reused.set(path, copy);
    }
  }
  const fresh = sources.filter(({ path }) => !reused.has(path));
  const own = fresh.filter(({ path }) => !path.startsWith("src/kit/"));
  const formatted = new Map((await formatFiles(own)).map(({ path, text }) => [path, text]));
  return sources.map((file) => ({
    ...file,
    text: reused.get(file.path) ?? formatted.get(file.path) ?? file.text,
  }));
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
