import { Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { buildableProject } from "../../flows/check.ts";
import { draftMigration } from "../../flows/draft.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { done, next } from "../words.ts";

export default class Draft extends LevaduraCommand {
  static override description =
    "Writes the next migration: what stands between the migrations and the model.";
  static override flags = {
    ...projectFlag,
    name: Flags.string({ description: "words for the folder's name, as queen-colour" }),
  };

  async run() {
    const { flags } = await this.parse(Draft);
    if (flags.name && !/^[a-z0-9]+(-[a-z0-9]+)*$/.test(flags.name)) {
      throw new Failure("usage", `--name ${flags.name}: use small letters, digits and hyphens`);
    }
    const { project, model } = buildableProject(flags.project);
    const drafted = draftMigration(project, model, flags.name);
    if (!drafted) {
      this.say(done("Nothing to draft: the migrations have all of the model"));
      return { drafted: null };
    }
    this.say(done(`Drafted migrations/${drafted.name}`));
    for (const step of drafted.steps) this.say(`    ${step}`);
    this.say(next("levadura migrate", "applies it to the database"));
    return { drafted };
  }
}
