import ansis from "ansis";
import { checkProject } from "../../flows/check/check.ts";
import { migrationHistory } from "../../flows/migrate/migrate.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { next, table } from "../words.ts";

const colors = {
  applied: ansis.green,
  pending: ansis.yellow,
  failed: ansis.red,
  "half-way": ansis.red,
  edited: ansis.red,
  missing: ansis.red,
};

export default class History extends LevaduraCommand {
  static override summary = "list the migrations";
  static override description =
    "Lists all migrations with their state: applied, pending, failed, half-way, edited since they were applied, or missing.";
  static override examples = [{ command: "levadura history", description: "lists the migrations" }];
  static override flags = { ...projectFlag };

  async run() {
    const { flags } = await this.parse(History);
    const { project, model } = checkProject(flags.project);
    const statuses = await migrationHistory(project, model);
    if (statuses.length === 0) this.say("There are no migrations yet.");
    else {
      const rows = statuses.map(({ name, state, line }) => [
        name,
        colors[state](state),
        line?.applied_at ?? "",
        line && state !== "failed" ? `${line.milliseconds} ms` : "",
      ]);
      const failures = statuses.flatMap(({ name, line }) =>
        line?.failure ? [`${ansis.red("✗")} ${name}: ${line.failure}`] : [],
      );
      this.say(
        table([
          ["migration", "state", "at (UTC)", "took"].map((heading) => ansis.dim(heading)),
          ...rows,
        ]),
      );
      if (failures.length > 0) this.say(`\n${failures.join("\n")}`);
    }
    this.hint(
      statuses.some(({ state }) => ["pending", "failed", "half-way"].includes(state))
        ? next("levadura migrate", "applies what is pending")
        : next("levadura prepare", "writes the next one"),
    );
    return { migrations: statuses };
  }
}
