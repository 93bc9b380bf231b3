import { randomUUID } from "node:crypto";
import { createReadStream } from "node:fs";
import { copyFile, mkdir, open, readdir, rename, rm, stat } from "node:fs/promises";
import { join, resolve } from "node:path";
import { type FileStore, FileStoreTrouble, type Kept } from "./file-store.ts";

/** Files in a folder: `files/0f/0f3a…`. */
export function folderStore(folder: string): FileStore {
  const root = resolve(folder);
  const pathOf = (name: string) => join(root, name.slice(0, 2), name);
  const trying = async <Result>(work: () => Promise<Result>): Promise<Result> => {
    try {
      return await work();
    } catch (error) {
      throw new FileStoreTrouble(root, error);
    }
  };
  return {
    place: root,
    put: (name, path) =>
      trying(async () => {
        const place = pathOf(name);
        await mkdir(join(root, name.slice(0, 2)), { recursive: true, mode: 0o700 });
        // Under its name there is the whole of a file, or nothing.
        const part = `${place}.${randomUUID()}.part`;
        try {
          await copyFile(path, part);
          const file = await open(part, "r+");
          await file.sync().finally(() => file.close());
          await rename(part, place);
        } catch (error) {
          await rm(part, { force: true });
          throw error;
        }
      }),
    read: (name) =>
      trying(async () => {
        const path = pathOf(name);
        const found = await stat(path).catch(nothingThere);
        return found?.isFile() ? { content: createReadStream(path), bytes: found.size } : undefined;
      }),
    remove: (names) =>
      trying(async () => {
        for (const name of names) await rm(pathOf(name), { force: true });
      }),
    async *list(): AsyncGenerator<Kept> {
      const folders = await readdir(root, { withFileTypes: true }).catch(nothingThere);
      for (const { name: part } of folders?.filter((entry) => entry.isDirectory()) ?? []) {
        for (const name of await readdir(join(root, part))) {
          const found = await stat(join(root, part, name)).catch(nothingThere);
          if (found?.isFile()) yield { name, bytes: found.size, at: found.mtimeMs };
        }
      }
    },
  };
}

function nothingThere(error: NodeJS.ErrnoException): undefined {
  if (error.code !== "ENOENT") throw error;
}
