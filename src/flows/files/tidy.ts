import { join } from "node:path";
import { FileStoreTrouble } from "../../../kit/files/file-store.ts";
import { type FilesUse, filesInUse, keysIn, setAside } from "../../../kit/files/use.ts";
import { Failure } from "../../core/failure.ts";
import { isFiles } from "../../core/fields/files.ts";
import type { Model } from "../../core/model/model.ts";
import { columnOf, tableOf } from "../../core/schema/from-model.ts";
import { keptEntries, keptRows } from "../../io/project/kept.ts";
import type { Project } from "../../io/project/project.ts";
import { withDatabase } from "../database.ts";
import { requireMigrated } from "../migrate/migrate.ts";
import { filesOf } from "./location.ts";

/** The files of a project: those of each field, and those that nothing refers to. */
export interface ProjectFiles {
  /** Where they are. */
  place: string;
  fields: { field: string; files: number; bytes: number }[];
  unused: { files: number; bytes: number };
  /** How many files records refer to that aren't there. */
  missing: number;
  /** The folder that the unused ones were moved into. */
  kept?: string;
}

/** Finds out which files of a project are in use; with `removeUnused`, moves the others into a folder of what was kept. */
export async function projectFiles(
  project: Project,
  model: Model,
  { removeUnused }: { removeUnused: boolean },
): Promise<ProjectFiles> {
  await requireMigrated(project, model);
  const store = filesOf(project);
  const fields = model.entities.flatMap((entity) =>
    entity.fields.filter(({ type }) => isFiles(type)).map((field) => ({ entity, field })),
  );
  const use = await withDatabase(project, (engine) =>
    reached(async () => {
      const { quoted } = engine.dialect;
      const columns = fields.map(({ entity, field }) => ({
        table: quoted(tableOf(entity.name)),
        column: quoted(columnOf(field)),
      }));
      const database = {
        hasTable: (name: string) => engine.hasTable(name),
        rows: <Row>(query: string) => engine.migrations.rows<Row>(query),
      };
      const folders = [project.kept, join(project.app, "kept")];
      return filesInUse(database, columns, store, folders);
    }),
  );
  const found: ProjectFiles = {
    place: store.place,
    fields: fields.map(({ entity, field }, at) => ({
      field: `${entity.name}.${field.name}`,
      files: use.columns[at]?.files ?? 0,
      bytes: use.columns[at]?.bytes ?? 0,
    })),
    unused: { files: use.unused.keys.length, bytes: use.unused.bytes },
    missing: use.missing.length,
  };
  const unused = removeUnused ? await stillUnused(project, use) : [];
  if (unused.length === 0) return found;
  const kept = await reached(() => setAside(store, unused, project.kept));
  return { ...found, kept };
}

/** Those of the unused files that no copy of a database refers to, either. */
async function stillUnused(project: Project, { unused }: FilesUse): Promise<string[]> {
  const left = new Set(unused.keys);
  for (const entry of keptEntries(project)) {
    if (left.size === 0) break;
    for (const { read } of await keptRows(entry)) {
      for await (const row of read()) {
        const text = JSON.stringify(row, (_key, value) =>
          typeof value === "bigint" ? String(value) : value,
        );
        if (text.includes("key")) for (const key of keysIn(text)) left.delete(key);
      }
    }
  }
  return [...left];
}

/** Does something with the file store; where it can't be reached, that is something outside. */
export async function reached<Result>(work: () => Promise<Result>): Promise<Result> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof FileStoreTrouble) {
      throw new Failure(
        "outside",
        error.message,
        "see where FILES_URL leads, and whether it is open",
      );
    }
    throw error;
  }
}
