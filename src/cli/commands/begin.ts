import { Args, Flags } from "@oclif/core";
import { beginProject } from "../../flows/begin.ts";
import { LevaduraCommand } from "../command.ts";
import { done, next } from "../words.ts";

export default class Begin extends LevaduraCommand {
  static override description = "Starts a project: a model, a README, a .gitignore.";
  static override args = {
    dir: Args.string({ required: true, description: "a folder that is new or empty" }),
  };
  static override flags = {
    name: Flags.string({
      description: "what the application is called; the folder's name otherwise",
    }),
  };

  async run() {
    const { args, flags } = await this.parse(Begin);
    const begun = beginProject(args.dir, flags.name);
    for (const file of begun.files) this.say(done(`Wrote ${file}`));
    this.say(next(`cd ${args.dir} && levadura rise`, "runs the application and follows the model"));
    return begun;
  }
}
