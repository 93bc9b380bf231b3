import { withProjectLock } from "../io/project/lock.ts";
import type { Project } from "../io/project/project.ts";

/** Does a command's work on a project while no other command changes anything in it; waits for one that does. */
export function aloneOn<Result>(
  project: Project,
  command: string,
  work: () => Promise<Result>,
): Promise<Result> {
  return withProjectLock(project, command, work);
}
