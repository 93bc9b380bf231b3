import {
  copyFileSync,
  existsSync,
  linkSync,
  mkdirSync,
  readdirSync,
  renameSync,
  rmSync,
  statSync,
} from "node:fs";
import { dirname, join } from "node:path";
import type { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { extract } from "tar";
import { Failure } from "../../core/failure.ts";
import { digestOfFile } from "../digest.ts";
import type { HostPlace } from "./place.ts";
import type { PackageFile } from "./published.ts";

/** The files of a package that a host has none of the same content of, one of each. */
export function missingFiles(place: HostPlace, files: readonly PackageFile[]): PackageFile[] {
  const seen = new Set<string>();
  return files.filter(({ digest }) => {
    if (seen.has(digest) || existsSync(storedAt(place, digest))) return false;
    seen.add(digest);
    return true;
  });
}

/**
 * Takes files in from an archive, and keeps those that are as they should be. Nothing else in the archive is looked at. Throws
 * where one is missing, or isn't what was announced.
 */
export async function receiveFiles(
  place: HostPlace,
  files: readonly PackageFile[],
  archive: Readable,
): Promise<void> {
  const folder = join(place.incoming, `${Date.now()}-${process.hrtime.bigint()}`);
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  const wanted = new Map(files.map((file) => [file.path, file]));
  try {
    await pipeline(
      archive,
      extract({
        cwd: folder,
        preserveOwner: false,
        filter: (path, entry) =>
          "type" in entry && entry.type === "File" && wanted.get(path)?.size === entry.size,
      }),
    );
    for (const { path, digest } of files) {
      const received = join(folder, path);
      if (!existsSync(received) || (await digestOfFile(received)) !== digest) {
        throw new Failure("input", `${path} didn't arrive as it was sent`, "publish once more");
      }
      const stored = storedAt(place, digest);
      mkdirSync(dirname(stored), { recursive: true });
      renameSync(received, stored);
    }
  } catch (error) {
    if (error instanceof Failure) throw error;
    throw new Failure("input", `the package can't be unpacked: ${(error as Error).message}`);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Lays the files of a package out in a folder. They are the stored ones themselves, which nobody writes to. */
export function layOut(place: HostPlace, files: readonly PackageFile[], folder: string): void {
  rmSync(folder, { recursive: true, force: true });
  for (const { path, digest } of files) {
    const file = join(folder, path);
    mkdirSync(dirname(file), { recursive: true });
    try {
      linkSync(storedAt(place, digest), file);
    } catch {
      // Not every file system has links, and one file has only so many.
      copyFileSync(storedAt(place, digest), file);
    }
  }
}

/** Removes stored files that no version has any more. */
export function forgetUnused({ store }: HostPlace): void {
  for (const part of readdirSync(store)) {
    for (const name of readdirSync(join(store, part))) {
      const file = join(store, part, name);
      if (statSync(file).nlink === 1) rmSync(file);
    }
  }
}

function storedAt({ store }: HostPlace, digest: string): string {
  return join(store, digest.slice(0, 2), digest);
}
