import {
  appendFileSync,
  closeSync,
  createWriteStream,
  mkdtempSync,
  openSync,
  readSync,
  rmSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import type { Spill } from "../../core/tabular/distinct.ts";
import { fileFailure } from "../project/files.ts";

/** A temporary folder that lives as long as the command. */
export class TemporaryFolder {
  readonly path: string;
  #files = 0;

  constructor() {
    try {
      this.path = mkdtempSync(join(tmpdir(), "levadura-"));
    } catch (error) {
      throw fileFailure("make a folder in", tmpdir(), error);
    }
  }

  /** A path that nothing is under yet. */
  newPath(): string {
    this.#files++;
    return join(this.path, String(this.#files));
  }

  /** A file to append to and read back. */
  openSpill = (): Spill => {
    const path = this.newPath();
    return {
      append: (bytes) => {
        try {
          appendFileSync(path, bytes);
        } catch (error) {
          throw fileFailure("write", path, error);
        }
      },
      *read(size) {
        const handle = openSync(path, "r");
        try {
          for (;;) {
            const bytes = new Uint8Array(size);
            const length = readSync(handle, bytes);
            if (length === 0) return;
            yield bytes.subarray(0, length);
          }
        } finally {
          closeSync(handle);
        }
      },
    };
  };

  /** Removes it with all that is in it. */
  remove(): void {
    rmSync(this.path, { recursive: true, force: true });
  }
}

/** Keeps what comes on standard input in a file, so that it can be read more than once. */
export async function keepStandardInput(path: string): Promise<void> {
  try {
    await pipeline(process.stdin, createWriteStream(path));
  } catch (error) {
    throw fileFailure("keep standard input in", path, error);
  }
}
