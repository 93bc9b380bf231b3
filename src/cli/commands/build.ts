import { buildApplication } from "../../flows/build.ts";
import { buildableProject } from "../../flows/check.ts";
import { aloneOn } from "../../flows/lock.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { next } from "../words.ts";

export default class Build extends LevaduraCommand {
  static override description =
    "Writes the application. Files that were edited by hand stay as they are.";
  static override flags = { ...projectFlag };

  async run() {
    const { flags } = await this.parse(Build);
    const { project, model } = buildableProject(flags.project);
    const built = await aloneOn(project, "build", () =>
      buildApplication(project, model, this.report),
    );
    this.say(next("levadura serve", "runs it"));
    return built;
  }
}
