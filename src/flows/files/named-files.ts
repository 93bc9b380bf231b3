import { createReadStream } from "node:fs";
import { basename } from "node:path";
import type { FileStore } from "../../../kit/files/file-store.ts";
import { heldFiles, type StoredFile } from "../../../kit/files/stored-file.ts";
import { keyOfContent, type NotTaken, takeIn } from "../../../kit/files/take-in.ts";
import { filesRange, isFiles } from "../../core/fields/files.ts";
import type { Field } from "../../core/model/model.ts";
import { namesInCell } from "../../core/tabular/file-columns.ts";
import type { Project } from "../../io/project/project.ts";
import type { DataSource } from "../import/data-source.ts";
import { fileIn } from "./file-in.ts";
import { filesOf } from "./location.ts";

/** What a cell that names files is stored as; or why it can't be. */
export type NamedFiles = (field: Field, cell: string) => string | { reason: string };

/** The longest text of a cell that names files. */
const longestCell = 20_000;

/**
 * Takes the files in that data files name, relative to the folder `data/`: `photos/b-07.jpg; photos/b-08.jpg`. The same content
 * has the same key, so that a file that is loaded again is kept once. With `dry`, they are looked at and not kept.
 */
export async function takeNamedFiles(
  project: Project,
  sources: readonly DataSource[],
  { dry = false, folders = [] }: { dry?: boolean; folders?: readonly string[] },
): Promise<NamedFiles> {
  const known = new Map<string, string | { reason: string }>();
  let store: FileStore | undefined;
  for (const { entity, read } of sources) {
    const fields = entity.fields.filter(({ type }) => isFiles(type));
    if (fields.length === 0) continue;
    for (const { rows, header } of read()) {
      for (const field of fields) {
        const at = header.indexOf(field.name);
        for (const row of at < 0 ? [] : rows) {
          const cell = (row[at] as string | undefined) ?? "";
          const name = nameOf(field, cell);
          if (cell === "" || known.has(name)) continue;
          store ??= dry ? nowhere : filesOf(project);
          known.set(name, await taken([project.data, ...folders], store, field, cell));
        }
      }
    }
  }
  return (field, cell) =>
    known.get(nameOf(field, cell)) ?? { reason: "not a file that was looked at" };
}

function nameOf(field: Field, cell: string): string {
  return `${JSON.stringify(field.type)} ${cell}`;
}

async function taken(
  folders: readonly string[],
  store: FileStore,
  { type }: Field,
  cell: string,
): Promise<string | { reason: string }> {
  if (!isFiles(type)) throw new Error("no field of files");
  if (cell.length > longestCell) return { reason: "too long for the names of files" };
  const names = namesInCell(cell);
  const { least, most } = filesRange(type);
  if (names.length > most) return { reason: `${names.length} files, where ${most} fit` };
  if (names.length < least) return { reason: `fewer than ${least} files` };
  const files: StoredFile[] = [];
  for (const name of names) {
    const path = fileIn(folders, name);
    if (path === undefined) return { reason: `no name of a file in data/${quoted(names, name)}` };
    const wanted = { isPicture: type.kind === "image", size: type.size };
    const result = await takeIn(
      store,
      createReadStream(path),
      basename(path),
      wanted,
      keyOfContent,
    );
    if ("refused" in result) return { reason: `${whyNot[result.refused]}${quoted(names, name)}` };
    files.push(result.file);
  }
  return heldFiles(files) ?? "[]";
}

/** Keeps nothing: files are only looked at. */
const nowhere: FileStore = {
  place: "",
  put: async () => undefined,
  read: async () => undefined,
  remove: async () => undefined,
  async *list() {},
};

const whyNot: Readonly<Record<NotTaken, string>> = {
  "too large": "a file that is larger than the field allows",
  empty: "an empty file",
  "no picture": "not a picture that can be read",
  lies: "a file whose content isn't what its name says",
};

/** Which of several files is meant. */
function quoted(names: readonly string[], name: string): string {
  return names.length > 1 ? ` (${JSON.stringify(name)})` : "";
}
