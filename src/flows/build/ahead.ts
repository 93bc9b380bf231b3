import { existsSync } from "node:fs";
import { join } from "node:path";
import { Compiler } from "../../io/compiler/compiler.ts";
import { parses } from "../../io/formatting/parses.ts";
import type { Write } from "../../io/project/files.ts";
import { type Project, projectAt } from "../../io/project/project.ts";
import type { FileChange } from "./plan.ts";

/**
 * A compiler for a build that is about to begin: it reads the application while the model is read. Undefined where the last
 * build found no edited file, so that there will hardly be one to join. It has to be closed.
 */
export function compilerAhead(folder: string): Compiler | undefined {
  const project = projectAt(folder);
  if (!existsSync(markOf(project))) return undefined;
  // What reads a joined file is started, too.
  parses("ahead.ts", "").catch(() => undefined);
  return new Compiler(project.app);
}

/** Notes for the next build whether there are edited files. */
export function editedMark(project: Project, changes: readonly FileChange[]): Write {
  const edited = changes.some(({ state }) => ["kept", "merged", "conflict"].includes(state));
  return { path: markOf(project), text: edited ? "" : null };
}

function markOf({ run }: Project): string {
  return join(run, "edited");
}
