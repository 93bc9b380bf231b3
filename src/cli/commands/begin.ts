import { Args, Flags } from "@oclif/core";
import { beginProject } from "../../flows/begin/begin.ts";
import { LevaduraCommand } from "../command.ts";
import { done, next } from "../words.ts";

export default class Begin extends LevaduraCommand {
  static override summary = "start a project in a new folder";
  static override description =
    "Writes a model to start from, a README and a .gitignore. The folder must be new or empty.";
  static override examples = [
    { command: "levadura begin bees", description: "starts a project in the folder bees" },
  ];
  static override args = {
    dir: Args.string({ required: true, description: "a folder that is new or empty" }),
  };
  static override flags = {
    name: Flags.string({
      description: "the name of the application; otherwise that of the folder",
      helpValue: "WORDS",
    }),
  };

  async run() {
    const { args, flags } = await this.parse(Begin);
    const begun = beginProject(args.dir, flags.name);
    for (const file of begun.files) this.say(done(`Wrote ${file}`));
    this.hint(
      next(`cd ${args.dir} && levadura rise`, "runs the application and follows the model"),
    );
    return begun;
  }
}
