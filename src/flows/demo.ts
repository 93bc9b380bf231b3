import { existsSync } from "node:fs";
import { join } from "node:path";
import { Failure } from "../core/failure.ts";
import { packageRoot } from "../io/package.ts";
import { readText, writeAll } from "../io/project/files.ts";
import { projectAt } from "../io/project/project.ts";
import { supportFiles } from "./begin.ts";

/** Puts the demo project into a folder; what is there of it already stays as it is. */
export function prepareDemo(folder: string): void {
  const project = projectAt(folder);
  if (existsSync(project.model)) return;
  const model = readText(join(packageRoot, "demo", "model.yaml"));
  if (model === undefined)
    throw new Failure("outside", "the demo's model is missing from this installation");
  const files = [{ path: "model.yaml", text: model }, ...supportFiles("Hive Book")];
  writeAll(files.map(({ path, text }) => ({ path: join(project.root, path), text })));
}
