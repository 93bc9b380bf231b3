import {
  copyFileSync,
  existsSync,
  mkdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { dirname } from "node:path";
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
  try {
    return readFileSync(path, "utf8");
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return undefined;
    throw fileFailure("read", path, error);
  }
}

/** A text and where it goes, null to take the file away; or a file to copy from. */
export type Write = { path: string; text: string | null } | { path: string; copyOf: string };

/**
 * Writes files: each is complete under its name or not there, and when one can't be written, none
 * is. Folders are made as needed.
 */
export function writeAll(writes: readonly Write[]): void {
  const staged: string[] = [];
  const stagedName = (path: string) => `${path}.levadura-new`;
  try {
    for (const write of writes) {
      const { path } = write;
      if ("text" in write && write.text === null) continue;
      try {
        makeFolder(dirname(path));
        staged.push(stagedName(path));
        if ("copyOf" in write) copyFileSync(write.copyOf, stagedName(path));
        else writeFileSync(stagedName(path), write.text ?? "");
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

/** Makes a folder and those above it, one by one: Node's recursive way never ends on file systems like /proc. */
function makeFolder(path: string): void {
  if (existsSync(path)) return;
  makeFolder(dirname(path));
  try {
    mkdirSync(path);
  } catch (error) {
    // Another process may have been faster.
    if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
  }
}
