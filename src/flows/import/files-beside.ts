import { existsSync, readFileSync, statSync } from "node:fs";
import { dirname, join } from "node:path";
import { Failure } from "../../core/failure.ts";
import { isFiles } from "../../core/fields/files.ts";
import type { Entity } from "../../core/model/model.ts";
import { namesInCell } from "../../core/tabular/file-columns.ts";
import type { Write } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";
import { readDataFile } from "../../io/sheets/data-files.ts";
import { fileIn } from "../files/file-in.ts";

/** The folders in which files are looked for that cells name: those of the sheets, or the one that was asked for. */
export function foldersBeside(files: readonly string[], asked: string | undefined): string[] {
  if (asked !== undefined) {
    if (statSync(asked, { throwIfNoEntry: false })?.isDirectory()) return [asked];
    throw new Failure(
      "usage",
      `there is no folder ${asked}`,
      "--files names the folder of the files in cells",
    );
  }
  return [...new Set(files.filter((file) => file !== "-").map((file) => dirname(file)))];
}

/** What copies the files that rows name into the folder `data/`, under the same names. */
export function copiesOf(
  project: Project,
  entity: Entity,
  data: string,
  folders: readonly string[],
): Write[] {
  const fields = entity.fields.filter(({ type }) => isFiles(type));
  if (fields.length === 0) return [];
  const copies = new Map<string, string>();
  for (const { rows, header } of readDataFile(data, `${entity.name}.csv`)) {
    for (const field of fields) {
      const at = header.indexOf(field.name);
      for (const row of at < 0 ? [] : rows) {
        for (const name of namesInCell((row[at] as string | undefined) ?? "")) {
          const path = copies.has(name) ? undefined : fileIn(folders, name);
          if (path !== undefined) copies.set(name, path);
        }
      }
    }
  }
  return [...copies].flatMap(([name, copyOf]): Write[] => {
    const path = join(project.data, name);
    if (!existsSync(path)) return [{ path, copyOf, secret: true }];
    if (readFileSync(path).equals(readFileSync(copyOf))) return [];
    throw new Failure(
      "input",
      `data/${name} is there already, and has something else in it`,
      "rename one of the two files; nothing was written",
    );
  });
}
