import { relative, sep } from "node:path";
import { type PatchedFile, patchOf } from "../../core/appgen/patch.ts";
import { readText } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";
import type { BuildPlan } from "./plan.ts";

/** What a build does to app/, as a patch of the project's folder. */
export function patchOfPlan({ root, app }: Project, { writes }: BuildPlan): string {
  const files = writes.flatMap((write): PatchedFile[] => {
    if (!write.path.startsWith(`${app}${sep}`) || !("text" in write)) return [];
    const path = relative(root, write.path).split(sep).join("/");
    return [{ path, before: readText(write.path) ?? null, after: write.text }];
  });
  return patchOf(files.sort((a, b) => (a.path < b.path ? -1 : 1)));
}
