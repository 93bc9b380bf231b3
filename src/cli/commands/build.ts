import { Flags } from "@oclif/core";
import { buildApplication } from "../../flows/build/build.ts";
import { checkProject } from "../../flows/check/check.ts";
import { aloneOn } from "../../flows/lock.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { done, next } from "../words.ts";

export default class Build extends LevaduraCommand {
  static override summary = "write the application";
  static override description =
    "Writes the source of the application into app/. Files that you edited stay as they are, and are named.";
  static override examples = [
    { command: "levadura build", description: "writes app/" },
    { command: "levadura build --dry-run", description: "lists the files that would change" },
  ];
  static override flags = {
    ...projectFlag,
    "dry-run": Flags.boolean({ description: "list what would be written, and write nothing" }),
  };

  async run() {
    const { flags } = await this.parse(Build);
    const { project, model } = checkProject(flags.project);
    if (flags["dry-run"]) {
      const planned = await buildApplication(project, model, this.report, { dry: true });
      const { files, kept } = planned;
      for (const path of files.written) this.say(`write   app/${path}`);
      for (const path of files.removed) this.say(`remove  app/${path}`);
      for (const path of kept) this.say(`keep    app/${path}  edited by hand`);
      if (files.written.length + files.removed.length === 0)
        this.say(done("app/ is up to date already"));
      return planned;
    }
    const built = await aloneOn(project, "build", () =>
      buildApplication(project, model, this.report),
    );
    this.hint(next("levadura serve", "runs it"));
    return built;
  }
}
