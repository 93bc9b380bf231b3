import { existsSync, readdirSync } from "node:fs";
import { join, relative, sep } from "node:path";
import type { Renames } from "../../core/appgen/renames.ts";
import { readBytes } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";
import type { FileRecord, GenerationRecord } from "../../io/project/record.ts";

/** A file that was generated, and where it is. */
export interface KnownFile {
  from: string;
  record: FileRecord;
}

/** What was generated last, by the path that it has by now. */
export function knownFiles(
  { app }: Project,
  record: GenerationRecord,
  renames: Renames,
): Map<string, KnownFile> {
  const goes = (path: string) => renames.movedPath(path) !== path;
  const isFree = (path: string) => (record.files[path] ? goes(path) : !existsSync(join(app, path)));
  const found = new Map<string, KnownFile>();
  for (const [from, each] of Object.entries(record.files)) {
    const to = renames.movedPath(from);
    // What is there already, and belongs to nobody, isn't written over.
    const path = to !== from && isFree(to) && !found.has(to) ? to : from;
    found.set(path, { from, record: each });
  }
  return found;
}

/** What somebody wrote themselves into the folders of entities that have other names by now. */
export function strayFiles(
  { app }: Project,
  renames: Renames,
  record: GenerationRecord,
): { path: string; from: string }[] {
  const folder = join(app, "src", "entities");
  if (renames.isEmpty || !existsSync(folder)) return [];
  return readdirSync(folder, { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile())
    .map((entry) => relative(app, join(entry.parentPath, entry.name)).split(sep).join("/"))
    .map((from) => ({ from, path: renames.movedPath(from) }))
    .filter(
      ({ from, path }) =>
        path !== from &&
        !record.files[from] &&
        !/\.(offered|levadura-new)$/.test(from) &&
        !existsSync(join(app, path)) &&
        !readBytes(join(app, from))?.includes(0),
    );
}
