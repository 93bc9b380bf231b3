import { dirname, join } from "node:path";
import type { Model } from "../../core/model/model.ts";
import { removeEmptyFolders, writeAll } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";
import type { Report } from "../report.ts";
import { editedMark } from "./ahead.ts";
import { type Built, builtBy } from "./built.ts";
import { type BuildOptions, planBuild } from "./plan.ts";

/**
 * Writes the application: files that nobody touched are replaced; what is new is merged into edited ones where that can be
 * done, and these are named.
 */
export async function buildApplication(
  project: Project,
  model: Model,
  report: Report,
  options: BuildOptions = {},
): Promise<Built> {
  report({ kind: "working", on: "building app/" });
  const plan = await planBuild(project, model, options);
  writeAll([...plan.writes, editedMark(project, plan.changes)], project.root);
  for (const { path, from, state } of plan.changes) {
    const left = from ?? (state === "removed" ? path : undefined);
    if (left !== undefined) removeEmptyFolders(dirname(join(project.app, left)), project.app);
  }
  const built = builtBy(plan);
  report({ kind: "built", ...built });
  return built;
}
