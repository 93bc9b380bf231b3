import { hash } from "node:crypto";
import { join } from "node:path";
import * as z from "zod";
import { readBytes, readText, type Write } from "./files.ts";
import type { Project } from "./project.ts";

/** What was generated last, file by file: checksums, and copies for merging. */
export interface GenerationRecord {
  /** The version of Levadura that wrote it. */
  levadura: string;
  /** Checksums of what the files of each entity were made of, by its name. */
  entities: Record<string, string>;
  files: Record<string, FileRecord>;
}

export interface FileRecord {
  /** The checksum of the text before formatting, which tells whether it must be formatted again. */
  source: string;
  /** The checksum of the text that was written; the copy has the same. */
  written: string;
  /** The checksum of a later text that couldn't be joined with what somebody made of the file, and stands beside it. */
  offered?: string | undefined;
}

const shape = z.object({
  levadura: z.string(),
  entities: z.record(z.string(), z.string()).default({}),
  files: z
    .record(
      z.string(),
      z.object({ source: z.string(), written: z.string(), offered: z.string().optional() }),
    )
    .transform((files) =>
      Object.fromEntries(Object.entries(files).filter(([path]) => isPathInside(path))),
    ),
});

/** Whether a path is one that generating gives: names with slashes between them. */
function isPathInside(path: string): boolean {
  return path.split("/").every((name) => name !== "" && !/^\.{1,2}$|[\\\p{Cc}]/u.test(name));
}

/** A text's checksum, whatever line ends version control gave it. */
export function textChecksum(text: string): string {
  const lines = text.includes("\r") ? text.replaceAll("\r\n", "\n") : text;
  return hash("sha256", lines);
}

/** The checksum of a file's text; undefined where there is no file. */
export function fileChecksum(path: string): string | undefined {
  const bytes = readBytes(path);
  if (!bytes?.includes("\r")) return bytes && hash("sha256", bytes);
  return textChecksum(bytes.toString());
}

/** Reads the record; an empty one where there is none, or none that can be read. */
export function readRecord(project: Project): GenerationRecord {
  const text = readText(join(project.record, "record.json"));
  try {
    return shape.parse(JSON.parse(text ?? ""));
  } catch {
    return { levadura: "", entities: {}, files: {} };
  }
}

/** The copy of a file as it was generated last. */
export function readCopy(project: Project, path: string): string | undefined {
  return readText(copyPath(project, path));
}

/** Where that copy is. Its name ends in `.txt`, so that no tool takes it for source. */
export function copyPath(project: Project, path: string): string {
  return join(project.record, "app", `${path}.txt`);
}

/** The file of the record. */
export function recordWrite(project: Project, record: GenerationRecord): Write {
  const files = Object.fromEntries(
    Object.entries(record.files).sort(([a], [b]) => (a < b ? -1 : 1)),
  );
  const text = `${JSON.stringify({ ...record, files }, null, 1)}\n`;
  return { path: join(project.record, "record.json"), text };
}
