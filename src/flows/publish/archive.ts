import { createWriteStream, existsSync, mkdirSync, readdirSync, renameSync, rmSync } from "node:fs";
import { basename, join, resolve } from "node:path";
import { pipeline } from "node:stream/promises";
import { create } from "tar";
import { placeFiles } from "../../core/appgen/elsewhere.ts";
import { Failure } from "../../core/failure.ts";
import { platformHere } from "../../io/platform.ts";
import { fileFailure, writeAll } from "../../io/project/files.ts";
import { checkProject } from "../check/check.ts";
import type { Report } from "../report.ts";
import { packProject } from "./package.ts";
import { hostedName, requireName } from "./target.ts";

export { platformHere };

/** An archive that was written, and the files beside it. */
export interface Archived {
  folder: string;
  archive: string;
  bytes: number;
  files: string[];
}

export interface ArchiveSettings {
  /** The new folder. */
  to: string;
  /** The name of the archive; otherwise that of the application. */
  name: string | undefined;
  /** The kind of machine on which it is to run. */
  platform: string;
}

/** Writes the application as an archive that runs with Node alone, with what helps to run it in a place of one's own. */
export async function archiveProject(
  folder: string,
  { to, name: named, platform }: ArchiveSettings,
  report: Report,
): Promise<Archived> {
  const { project, model } = checkProject(folder);
  const name = requireName(named ?? hostedName(model));
  requirePlatform(platform);
  const target = resolve(to);
  requireFree(target, name);
  const { folder: packed, described } = await packProject(project, model, platform, report);
  report({ kind: "working", on: "writing the archive" });
  const archive = `${name}.tar.gz`;
  const file = join(target, archive);
  try {
    mkdirSync(target, { recursive: true });
    const options = { cwd: packed, gzip: true, portable: true, mtime: new Date(0) };
    const paths = described.files.map(({ path }) => path).sort();
    const output = createWriteStream(`${file}.new`);
    await pipeline(create(options, paths), output);
    renameSync(`${file}.new`, file);
    const files = placeFiles(model, { name, archive, platform });
    writeAll(
      files.map(({ path, text }) => ({ path: join(target, path), text })),
      target,
    );
    const written = [archive, ...files.map(({ path }) => path)];
    return { folder: target, archive: file, bytes: output.bytesWritten, files: written };
  } catch (error) {
    rmSync(`${file}.new`, { force: true });
    if (error instanceof Failure) throw error;
    throw fileFailure("write", target, error);
  }
}

/** A kind of machine for which the packages with binaries exist. */
function requirePlatform(platform: string): void {
  if (/^(linux-(x64|arm64)-(glibc|musl)|darwin-(x64|arm64)|win32-x64)$/.test(platform)) return;
  throw new Failure(
    "usage",
    `${platform} is no kind of machine that an application runs on`,
    "there are linux-x64-glibc, linux-arm64-glibc, linux-x64-musl, linux-arm64-musl, darwin-arm64, darwin-x64 and win32-x64",
  );
}

/** Files there that somebody may have changed are theirs. */
function requireFree(target: string, name: string): void {
  if (!existsSync(target)) return;
  const found = readdirSync(target);
  if (found.length === 0) return;
  throw new Failure(
    "usage",
    found.includes(`${name}.tar.gz`)
      ? `there is an archive in ${target} already, and the files beside it may have been changed`
      : `${basename(target)} isn't an empty folder`,
    "name a new folder with --to",
  );
}
