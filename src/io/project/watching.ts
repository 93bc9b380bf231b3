import { type FSWatcher, readdirSync, watch } from "node:fs";
import { join } from "node:path";

/** Watches a folder with all that is in it. Folders that come later are noticed too. */
export class TreeWatcher {
  readonly #watchers = new Map<string, FSWatcher>();
  readonly #root: string;
  readonly #changed: () => void;

  // The recursive mode of Node 20 on Linux loses files that are replaced, so each folder is watched.
  constructor(root: string, changed: () => void) {
    this.#root = root;
    this.#changed = changed;
    this.#look();
  }

  #look(): void {
    const folders = new Set([this.#root, ...foldersBelow(this.#root)]);
    for (const [folder, watcher] of this.#watchers) {
      if (folders.has(folder)) continue;
      watcher.close();
      this.#watchers.delete(folder);
    }
    for (const folder of folders) {
      if (this.#watchers.has(folder)) continue;
      const watcher = watch(folder, (event) => {
        if (event === "rename") this.#look();
        this.#changed();
      });
      // A folder that is taken away ends its watcher with an error.
      watcher.on("error", () => this.#look());
      this.#watchers.set(folder, watcher);
    }
  }

  close(): void {
    for (const watcher of this.#watchers.values()) watcher.close();
  }
}

function foldersBelow(root: string): string[] {
  try {
    return readdirSync(root, { withFileTypes: true, recursive: true })
      .filter((entry) => entry.isDirectory())
      .map((entry) => join(entry.parentPath, entry.name));
  } catch {
    return [];
  }
}
