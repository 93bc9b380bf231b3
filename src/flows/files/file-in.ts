import { realpathSync, statSync } from "node:fs";
import { join, sep } from "node:path";

/** The path of a file in one of some folders; undefined where there is none in them. */
export function fileIn(folders: readonly string[], name: string): string | undefined {
  for (const folder of folders) {
    try {
      const root = realpathSync(folder);
      const path = realpathSync(join(root, name));
      if (path.startsWith(root === sep ? root : root + sep) && statSync(path).isFile()) return path;
    } catch {
      // It isn't in this one.
    }
  }
  return undefined;
}
