import {
  chmodSync,
  constants,
  copyFileSync,
  existsSync,
  lstatSync,
  mkdirSync,
  readFileSync,
  realpathSync,
  renameSync,
  rmdirSync,
  rmSync,
  statSync,
  writeFileSync,
} from "node:fs";
import { dirname, isAbsolute, relative, sep } from "node:path";
import { Failure } from "../../core/failure.ts";

const reasons: Readonly<Record<string, string>> = {
  EACCES: "it may not be touched by this account",
  EPERM: "it may not be touched by this account",
  EROFS: "the disk can only be read",
  ENOSPC: "the disk is full",
  EISDIR: "it is a folder",
  ENOTDIR: "a part of its path is a file",
  ENOENT: "it is not there",
  EEXIST: "something of that name is there already",
  ENAMETOOLONG: "its name is too long",
};

/** Turns an error of the file system into a failure that says what could not be done with which file. */
export function fileFailure(action: string, path: string, error: unknown): Failure {
  const code = (error as NodeJS.ErrnoException).code ?? "";
  const reason = reasons[code] ?? (error as Error).message;
  return new Failure("outside", `can't ${action} ${path}: ${reason}`);
}

/** The text of a file; undefined where there is none. */
export function readText(path: string): string | undefined {
  return readBytes(path)?.toString();
}

/** What is in a file; undefined where there is none. */
export function readBytes(path: string): Buffer | undefined {
  try {
    return readFileSync(path);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return undefined;
    throw fileFailure("read", path, error);
  }
}

/** Whether a file has more than a number of bytes; false where there is none. */
export function isLarger(path: string, bytes: number): boolean {
  return (statSync(path, { throwIfNoEntry: false })?.size ?? 0) > bytes;
}

/**
 * A text and its path, null to delete the file; or a file to copy from. What holds rows is `secret`: only
 * the account that runs the command may read it.
 */
export type Write = { path: string; secret?: boolean } & (
  | { text: string | null }
  | { copyOf: string }
);

/**
 * Writes files: each is complete under its name or not there, and when one can't be written, none
 * is. Folders are made as needed. Where a folder is named, nothing is written or removed outside it, and no link
 * is followed that leads out of it.
 */
export function writeAll(writes: readonly Write[], within?: string): void {
  if (within !== undefined) refuseOutside(within, writes);
  const staged: string[] = [];
  const stagedName = (path: string) => `${path}.levadura-new`;
  try {
    for (const write of writes) {
      const { path, secret = false } = write;
      if ("text" in write && write.text === null) continue;
      try {
        makeFolder(dirname(path), secret);
        staged.push(stagedName(path));
        // A leftover of a run that was killed; a link is removed, not followed.
        rmSync(stagedName(path), { force: true });
        const mode = secret ? ownerOnly.file : undefined;
        if ("copyOf" in write) {
          copyFileSync(write.copyOf, stagedName(path), constants.COPYFILE_EXCL);
          if (mode) chmodSync(stagedName(path), mode);
        } else writeFileSync(stagedName(path), write.text ?? "", { flag: "wx", mode });
      } catch (error) {
        throw fileFailure("write", path, error);
      }
    }
  } catch (error) {
    for (const path of staged) rmSync(path, { force: true });
    throw error;
  }
  for (const write of writes) {
    const { path } = write;
    try {
      if ("text" in write && write.text === null) rmSync(path, { force: true });
      else renameSync(stagedName(path), path);
    } catch (error) {
      throw fileFailure("write", path, error);
    }
  }
}

/** Removes a folder where nothing is in it, and those above it up to one that stays. */
export function removeEmptyFolders(folder: string, stays: string): void {
  for (let place = folder; isWithin(stays, place); place = dirname(place)) {
    try {
      rmdirSync(place);
    } catch {
      return;
    }
  }
}

/** File mode for files that hold rows: readable by the owner only. */
export const ownerOnly = { file: 0o600, folder: 0o700 } as const;

/** Throws where a path isn't in a folder, or is in it only by its name. */
function refuseOutside(root: string, writes: readonly Write[]): void {
  const known = new Set<string>();
  for (const { path } of writes) {
    const folder = dirname(path);
    if (!isWithin(root, path)) throw outside(root, path, path);
    if (known.has(folder)) continue;
    known.add(folder);
    refuseLink(root, folder);
  }
}

/** Throws where a folder of a project is a link that leads out of it, or is behind one. */
export function refuseLink(root: string, folder: string): void {
  let there = folder;
  while (!existsSync(there) && !isLink(there) && there !== dirname(there)) there = dirname(there);
  let real: string | undefined;
  try {
    real = realpathSync(there);
  } catch {
    // A link that leads nowhere would be followed once something is there.
  }
  const home = existsSync(root) ? realpathSync(root) : root;
  const reached = there.length < root.length || real === home || (real && isWithin(home, real));
  if (!reached) throw outside(root, there, real ?? "nowhere");
}

function isLink(path: string): boolean {
  return lstatSync(path, { throwIfNoEntry: false })?.isSymbolicLink() ?? false;
}

function isWithin(root: string, path: string): boolean {
  const way = relative(root, path);
  return way !== "" && !isAbsolute(way) && way.split(sep)[0] !== "..";
}

function outside(root: string, path: string, real: string): Failure {
  const what = path === real ? `${path} is` : `${path} is a link that leads to ${real},`;
  return new Failure(
    "input",
    `${what} outside the project in ${root}; nothing was written`,
    "put a real folder there",
  );
}

/** Makes a folder and those above it, one by one: Node's recursive way never ends on file systems like /proc. */
function makeFolder(path: string, secret = false): void {
  if (existsSync(path)) return;
  makeFolder(dirname(path));
  try {
    mkdirSync(path, secret ? ownerOnly.folder : undefined);
  } catch (error) {
    // Another process may have been faster.
    if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
  }
}
