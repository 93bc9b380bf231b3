import { Flags } from "@oclif/core";
import { buildableProject } from "../../flows/check.ts";
import { seedProject } from "../../flows/seed.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { done, next } from "../words.ts";

/** The seed that is used when nobody asks for another. */
export const usualSeed = 1;

export default class Seed extends LevaduraCommand {
  static override description =
    "Fills the entities that have no rows with sample rows, the same ones for the same number.";
  static override flags = {
    ...projectFlag,
    seed: Flags.integer({
      description: "the number that the rows follow from",
      default: usualSeed,
    }),
  };

  async run() {
    const { flags } = await this.parse(Seed);
    const { project, model } = buildableProject(flags.project);
    const seeded = await seedProject(project, model, flags.seed, this.report);
    if (seeded.skipped.length > 0) {
      this.say(done("Left alone, because there are rows", seeded.skipped.join(", ")));
    }
    this.say(next("levadura rise", "shows the rows in the application"));
    return seeded;
  }
}
