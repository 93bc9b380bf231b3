import { buildableProject } from "../../flows/check.ts";
import { migrateProject } from "../../flows/migrate.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { done, next } from "../words.ts";

export default class Migrate extends LevaduraCommand {
  static override description = "Brings the database to the newest migration.";
  static override flags = { ...projectFlag };

  async run() {
    const { flags } = await this.parse(Migrate);
    const { project, model } = buildableProject(flags.project);
    const applied = await migrateProject(project, model, this.report);
    if (applied.length === 0) this.say(done("Nothing to apply: the database is up to date"));
    this.say(
      next("levadura seed", "fills entities without rows; `levadura build` writes the application"),
    );
    return { applied };
  }
}
