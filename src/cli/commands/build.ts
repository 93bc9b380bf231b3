import { Flags, type Interfaces } from "@oclif/core";
import { compilerAhead } from "../../flows/build/ahead.ts";
import { buildOnBranch } from "../../flows/build/branch.ts";
import { buildApplication } from "../../flows/build/build.ts";
import { builtBy } from "../../flows/build/built.ts";
import { type BuildOptions, type FileChange, planBuild } from "../../flows/build/plan.ts";
import { patchOfPlan } from "../../flows/build/plan-patch.ts";
import { checkProject } from "../../flows/check/check.ts";
import { aloneOn } from "../../flows/lock.ts";
import { branchMessage, builtSummary, editedLines } from "../branch-words.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { hand } from "../output.ts";
import { done, next } from "../words.ts";

export default class Build extends LevaduraCommand {
  static override summary = "write the application";
  static override description =
    "Writes the source of the application into app/. What is new is merged into files that you edited; where it meets your edits, they stay as they are, and the new text stands beside them. Names that the model changes are changed in your files too, and a file that you deleted stays deleted. All of them are named.";
  static override examples = [
    { command: "levadura build", description: "writes app/" },
    { command: "levadura build --dry-run", description: "lists the files that would change" },
    {
      command: "levadura build --diff > next.patch",
      description: "writes all that would change in app/ as a patch",
    },
    {
      command: "levadura build --branch wider-hives",
      description: "commits it on a new branch, with the migration",
    },
  ];
  static override flags = {
    ...projectFlag,
    "dry-run": Flags.boolean({ description: "list what would be written, and write nothing" }),
    diff: Flags.boolean({
      description:
        "print what would change in app/ as a patch on standard output, and the list on standard error; write nothing",
      exclusive: ["dry-run", "branch"],
    }),
    branch: Flags.string({
      description:
        "commit the migration and the application on a new branch of the git repository, for review; your files stay as they are",
      helpValue: "NAME",
      exclusive: ["dry-run", "diff", "restore"],
    }),
    restore: Flags.string({
      description: "write this file of app/ again that you deleted; may be repeated",
      multiple: true,
      multipleNonGreedy: true,
      helpValue: "FILE",
    }),
  };

  async run() {
    const { flags } = await this.parse(Build);
    const compiler = compilerAhead(flags.project);
    try {
      return await this.#build(flags, compiler);
    } finally {
      compiler?.close();
    }
  }

  async #build(
    flags: Interfaces.InferredFlags<typeof Build.flags>,
    compiler: BuildOptions["compiler"],
  ) {
    const { project, model } = checkProject(flags.project);
    const options: BuildOptions = { restore: flags.restore ?? [], compiler };
    if (flags["dry-run"] || flags.diff) {
      const plan = await planBuild(project, model, options);
      const list = plan.changes.map(planLine);
      const report = (text: string) => (flags.diff ? this.warn(text) : this.say(text));
      for (const line of list) report(line);
      const isSame = plan.changes.every(({ state }) => lasting.has(state));
      if (isSame) report(done("app/ is up to date already"));
      const patch = patchOfPlan(project, plan);
      if (flags.diff) hand(patch);
      return { ...builtBy(plan), ...(flags.diff && { patch }) };
    }
    if (flags.branch !== undefined) {
      const { branch } = flags;
      const built = await aloneOn(project, "build", () =>
        buildOnBranch(project, model, branch, branchMessage),
      );
      this.say(done(`Committed on the branch ${branch}`, builtSummary(built)));
      if (built.prepared) this.say(`  migrations/${built.prepared.name}`);
      for (const line of editedLines(built)) this.say(`  ${line}`);
      this.hint(next(`git show ${branch}`, "shows it"));
      return built;
    }
    const built = await aloneOn(project, "build", () =>
      buildApplication(project, model, this.report, options),
    );
    this.hint(next("levadura serve", "runs it"));
    return built;
  }
}

/** States of files that a build leaves as they are. */
const lasting: ReadonlySet<FileChange["state"]> = new Set(["kept", "conflict", "deleted"]);

/** What a build would do with a file. */
const planned: Readonly<Record<FileChange["state"], { verb: string; about?: string }>> = {
  new: { verb: "new" },
  replaced: { verb: "replace" },
  removed: { verb: "remove" },
  merged: { verb: "merge", about: "edited by hand" },
  renamed: { verb: "rename", about: "edited by hand" },
  kept: { verb: "keep", about: "edited by hand" },
  conflict: { verb: "keep", about: "edited by hand where something is new" },
  deleted: { verb: "skip", about: "deleted by hand" },
};

function planLine({ path, from, state, why }: FileChange): string {
  const { verb, about } = planned[state];
  const file = from === undefined ? `app/${path}` : `app/${from} to app/${path}`;
  const words = [about, why].filter(Boolean).join(": ");
  return `${verb.padEnd(8)}${file}${words && `  ${words}`}`;
}
