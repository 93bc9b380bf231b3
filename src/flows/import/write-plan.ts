import { existsSync } from "node:fs";
import { Failure } from "../../core/failure.ts";
import { writeAll } from "../../io/project/files.ts";

/** Writes a plan into a new file. */
export function writePlan(path: string, text: string): void {
  if (existsSync(path)) {
    throw new Failure(
      "usage",
      `there is a ${path} already`,
      "it may hold corrections: name another file, or delete it first",
    );
  }
  writeAll([{ path, text }]);
}
