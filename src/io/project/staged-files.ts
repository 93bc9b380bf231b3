import { closeSync, existsSync, mkdirSync, openSync, renameSync, rmSync, writeSync } from "node:fs";
import { join } from "node:path";
import { Failure } from "../../core/failure.ts";
import { fileFailure } from "./files.ts";

/** Files that get their names when all of them are there. */
export class StagedFiles {
  readonly #names: string[] = [];

  constructor(readonly folder: string) {}

  /** Where a file is written for now; throws where there is one of its name. */
  begin(name: string): string {
    const path = join(this.folder, name);
    if (existsSync(path)) {
      const help = "name another folder with --to, or move the file away";
      throw new Failure("input", `nothing was written: ${path} is there already`, help);
    }
    try {
      mkdirSync(this.folder, { recursive: true });
    } catch (error) {
      throw fileFailure("make", this.folder, error);
    }
    this.#names.push(name);
    return this.#staged(name);
  }

  #staged(name: string): string {
    return join(this.folder, `.${name}.levadura-new`);
  }

  keep(): string[] {
    for (const name of this.#names) renameSync(this.#staged(name), join(this.folder, name));
    return this.#names;
  }

  drop(): void {
    for (const name of this.#names) rmSync(this.#staged(name), { force: true });
  }
}

/** A text file that is written piece by piece. */
export class TextFile {
  readonly #handle: number;

  constructor(readonly path: string) {
    try {
      this.#handle = openSync(path, "w");
    } catch (error) {
      throw fileFailure("write", path, error);
    }
  }

  write(text: string): void {
    try {
      writeSync(this.#handle, text);
    } catch (error) {
      throw fileFailure("write", this.path, error);
    }
  }

  close(): void {
    closeSync(this.#handle);
  }
}
