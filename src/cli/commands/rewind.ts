import { Args, Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { buildableProject } from "../../flows/check.ts";
import { aloneOn } from "../../flows/lock.ts";
import { type RewindRequest, rewindLosses, rewindProject } from "../../flows/migrate.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { askAboutLosses } from "../losses.ts";
import { next } from "../words.ts";

export default class Rewind extends LevaduraCommand {
  static override description =
    `Takes the newest migration back, and brings back what it threw away.
Says first which rows and values that deletes, and asks. They are kept, and come back when the migration is applied again.`;
  static override args = {
    migration: Args.string({
      description: "takes back all migrations down to this one: its number or name",
    }),
  };
  static override flags = {
    ...projectFlag,
    count: Flags.integer({ description: "how many to take back; 1 unless said", min: 1 }),
    yes: Flags.boolean({ char: "y", description: "doesn't ask" }),
  };

  async run() {
    const { args, flags } = await this.parse(Rewind);
    if (args.migration !== undefined && flags.count !== undefined) {
      throw new Failure("usage", "a migration and --count are both given", "leave one of them out");
    }
    const { project, model } = buildableProject(flags.project);
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
    this.say(next("levadura migrate", "applies it again; `levadura prepare --again` writes it anew"));
    return {
      rewound: rewound.map(({ name }) => name),
      lost,
      findings: rewound.flatMap(({ findings }) => findings),
    };
  }
}
