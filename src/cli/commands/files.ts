import { Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { checkProject } from "../../flows/check/check.ts";
import { type ProjectFiles, projectFiles } from "../../flows/files/tidy.ts";
import { aloneOn } from "../../flows/lock.ts";
import { agreed, canAsk } from "../asking.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { count, done, next, size, table, warning } from "../words.ts";

export default class Files extends LevaduraCommand {
  static override summary = "list the files of records, and remove those that nothing uses";
  static override description =
    "Files of records are in the folder `files`, or where FILES_URL says. A file that was replaced or taken out, or whose record was deleted, stays there until it is removed by this command, which moves it into kept/. Files that rows in kept/ refer to count as used.";
  static override examples = [
    { command: "levadura files", description: "shows how many files each field has" },
    {
      command: "levadura files --remove-unused",
      description: "moves files that no record has any more into kept/",
    },
  ];
  static override flags = {
    ...projectFlag,
    "remove-unused": Flags.boolean({
      description:
        "move files that nothing refers to into kept/; `levadura restore` puts them back",
    }),
    yes: Flags.boolean({ char: "y", description: "do so without asking" }),
  };

  async run() {
    const { flags } = await this.parse(Files);
    const { project, model } = checkProject(flags.project);
    const found = await projectFiles(project, model, { removeUnused: false });
    this.#show(found);
    const { unused } = found;
    if (!flags["remove-unused"] || unused.files === 0) {
      if (unused.files > 0) {
        this.hint(next("levadura files --remove-unused", "moves the unused ones into kept/"));
      }
      return found;
    }
    const what = `${count(unused.files, "file")} of ${size(unused.bytes)}`;
    if (!flags.yes) {
      if (!canAsk() || flags.json) {
        throw new Failure(
          "usage",
          `nothing was changed: ${what} would be moved into kept/`,
          "to continue: levadura files --remove-unused --yes",
        );
      }
      if (!(await agreed(`Move ${what} into kept/?`))) {
        throw new Failure("usage", "nothing was changed");
      }
    }
    const removed = await aloneOn(project, "files", () =>
      projectFiles(project, model, { removeUnused: true }),
    );
    if (removed.kept === undefined) {
      this.say("Nothing was removed: rows in kept/ refer to these files.");
    } else {
      const folder = removed.kept.split(/[\\/]/).at(-1) ?? "";
      this.say(done(`Moved ${what}`, `into kept/${folder}`));
      this.hint(next(`levadura restore ${folder}`, "puts them back"));
    }
    return removed;
  }

  #show({ place, fields, unused, missing }: ProjectFiles): void {
    if (fields.length === 0 && unused.files === 0) {
      this.say("No field has files: a field gets them by `photo: image` or `papers: file ..5`.");
      return;
    }
    const rows = fields.map(({ field, files, bytes }) => [
      field,
      count(files, "file"),
      size(bytes),
    ]);
    const all =
      unused.files > 0
        ? [...rows, ["unused", count(unused.files, "file"), size(unused.bytes)]]
        : rows;
    this.say(table(all));
    if (missing > 0) {
      this.warn(
        warning(`${count(missing, "file")} that records refer to can't be found in ${place}`),
      );
    }
  }
}
