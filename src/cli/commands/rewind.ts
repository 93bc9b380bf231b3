import { Args, Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { checkProject } from "../../flows/check/check.ts";
import { aloneOn } from "../../flows/lock.ts";
import { type RewindRequest, rewindLosses, rewindProject } from "../../flows/migrate/migrate.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { askAboutLosses } from "../losses.ts";
import { next } from "../words.ts";

export default class Rewind extends LevaduraCommand {
  static override summary = "revert the newest migration";
  static override description =
    "Reverts the newest migration, and restores what it deleted. Says first which rows and values that deletes, and asks. They are kept, and are restored when the migration is applied again.";
  static override examples = [
    { command: "levadura rewind", description: "reverts the newest migration" },
    { command: "levadura rewind 3", description: "reverts all migrations down to the third" },
  ];
  static override args = {
    migration: Args.string({
      description: "revert all migrations down to this one: its number or name",
    }),
  };
  static override flags = {
    ...projectFlag,
    count: Flags.integer({
      description: "how many migrations to revert (1 if left out)",
      min: 1,
      helpValue: "N",
    }),
    yes: Flags.boolean({ char: "y", description: "don't ask" }),
  };

  async run() {
    const { args, flags } = await this.parse(Rewind);
    if (args.migration !== undefined && flags.count !== undefined) {
      throw new Failure("usage", "a migration and --count are both given", "leave one of them out");
    }
    const { project, model } = checkProject(flags.project);
    const request: RewindRequest =
      args.migration !== undefined
        ? { downTo: args.migration }
        : flags.count !== undefined
          ? { count: flags.count }
          : undefined;
    const lost = await rewindLosses(project, model, request);
    await askAboutLosses(lost, `levadura ${["rewind", ...this.argv].join(" ")}`, {
      yes: flags.yes,
      json: this.jsonEnabled(),
      say: (text) => this.say(text),
    });
    const rewound = await aloneOn(project, "rewind", () =>
      rewindProject(project, model, this.report, request),
    );
    this.hint(
      next("levadura migrate", "applies it again; `levadura prepare --rewrite` replaces it"),
    );
    return {
      rewound: rewound.map(({ name }) => name),
      lost,
      findings: rewound.flatMap(({ findings }) => findings),
    };
  }
}
