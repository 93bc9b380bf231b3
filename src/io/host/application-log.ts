import { appendFileSync, existsSync, renameSync, statSync } from "node:fs";
import { join } from "node:path";
import { readText } from "../project/files.ts";

/** A log file that is larger becomes the one before, in bytes. */
const largest = 5_000_000;

/** What an application says, with the moment of each line: the newest file, and the one before. */
export class ApplicationLog {
  readonly #file: string;
  readonly #before: string;
  readonly #readers = new Set<(lines: string) => void>();

  constructor(folder: string) {
    this.#file = join(folder, "application.log");
    this.#before = join(folder, "application.before.log");
  }

  /** Adds what a version of the application said, or what the host did to it. */
  write(from: string, text: string): void {
    const moment = new Date().toISOString().slice(0, 19);
    const lines = text
      .split(/\r?\n/)
      .filter((line) => line.trim() !== "")
      .map((line) => `${moment}Z ${from}: ${line.slice(0, 2000)}\n`)
      .join("");
    if (lines === "") return;
    try {
      if (existsSync(this.#file) && statSync(this.#file).size > largest) {
        renameSync(this.#file, this.#before);
      }
      appendFileSync(this.#file, lines, { mode: 0o600 });
    } catch {
      // A disk that is full doesn't end the application.
    }
    for (const read of this.#readers) read(lines);
  }

  /** The last lines. */
  last(count: number): string {
    const text = (readText(this.#before) ?? "") + (readText(this.#file) ?? "");
    const lines = text.trimEnd().split("\n");
    return text === "" ? "" : `${lines.slice(-count).join("\n")}\n`;
  }

  /** Gives each line that is added from now on, until what is returned is called. */
  follow(read: (lines: string) => void): () => void {
    this.#readers.add(read);
    return () => this.#readers.delete(read);
  }
}
