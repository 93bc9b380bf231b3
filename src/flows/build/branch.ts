import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import { modelChanges } from "../../core/model/model-changes.ts";
import { Repository } from "../../io/git/repository.ts";
import { type Project, projectAt } from "../../io/project/project.ts";
import { readRecord } from "../../io/project/record.ts";
import { type Prepared, prepareMigration } from "../prepare/prepare.ts";
import { buildApplication } from "./build.ts";
import type { Built } from "./built.ts";
import { builtModel } from "./built-model.ts";

/** What a branch has that the last commit hasn't. */
export interface BranchContent {
  /** What was changed in the model since the application was built last, in sentences. */
  model: string[];
  /** The migration, and what it does to the rows; undefined where none is needed. */
  prepared: Prepared | undefined;
  built: Built;
}

/**
 * Prepares the migration and builds the application on a new branch of the project's git repository, in one commit whose
 * message `describe` writes. The files of the project stay as they are.
 */
export async function buildOnBranch(
  project: Project,
  model: Model,
  branch: string,
  describe: (content: BranchContent) => string,
): Promise<BranchContent & { branch: string; commit: string }> {
  const repository = await usableRepository(project, branch);
  const before = builtModel(project);
  const found: Partial<BranchContent> = { model: before ? modelChanges(before, model) : [] };
  const paths = ["app", "migrations", ".levadura/generated"];
  const commit = await repository.commitOn(branch, paths, async (folder) => {
    const copy = copyIn(project, folder);
    found.prepared = await prepareMigration(copy, model);
    found.built = await buildApplication(copy, model, () => undefined);
    return describe(found as BranchContent);
  });
  if (commit === undefined) {
    throw new Failure(
      "input",
      "there is nothing to commit: the migrations and the application have all of the model",
      "change model.yaml and commit it first",
    );
  }
  return { ...(found as BranchContent), branch, commit };
}

/** A project whose files are in another folder, and whose database stays what it is. */
function copyIn(project: Project, folder: string): Project {
  const { kind, database, kept, settings } = project;
  return { ...projectAt(folder), kind, database, kept, settings };
}

async function usableRepository(project: Project, branch: string): Promise<Repository> {
  const { root } = project;
  const repository = await Repository.of(root);
  if (!repository) {
    throw new Failure(
      "input",
      `${root} is in no git repository`,
      "`git init` makes one; then commit the project",
    );
  }
  const name = await repository.branchName(branch);
  if (name === "impossible") {
    throw new Failure(
      "usage",
      `git has no branch of the name ${branch}`,
      "use letters, digits and hyphens",
    );
  }
  if (name === "taken") {
    throw new Failure("input", `the branch ${branch} is there already`, "choose another name");
  }
  if (!(await repository.hasCommit())) {
    throw new Failure("input", "nothing is committed yet", "commit the project first");
  }
  const dirty = await repository.dirty();
  if (dirty.length > 0) {
    const named = dirty.slice(0, 5).join(", ");
    throw new Failure(
      "input",
      `not everything is committed: ${named}${dirty.length > 5 ? ` and ${dirty.length - 5} more` : ""}`,
      "commit the changes of model.yaml and the rest, or `git stash` them",
    );
  }
  const known = Object.keys(readRecord(project).files).map((path) => `app/${path}`);
  const [ignored] = await repository.ignored(["app", ".levadura/generated/record.json", ...known]);
  if (ignored !== undefined) {
    throw new Failure(
      "input",
      `git ignores ${ignored}, so a branch wouldn't have it`,
      "change .gitignore: with a slash before it, a name stands for what is in the same folder only",
    );
  }
  return repository;
}
