import { Flags } from "@oclif/core";
import { buildableProject } from "../../flows/check.ts";
import { rewindProject } from "../../flows/migrate.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { next } from "../words.ts";

export default class Rewind extends LevaduraCommand {
  static override description =
    "Takes the newest migration back, and brings back what it threw away.";
  static override flags = {
    ...projectFlag,
    count: Flags.integer({ description: "how many to take back", default: 1, min: 1 }),
  };

  async run() {
    const { flags } = await this.parse(Rewind);
    const { project, model } = buildableProject(flags.project);
    const rewound = await rewindProject(project, model, this.report, flags.count);
    this.say(next("levadura migrate", "applies it again; `levadura draft --again` writes it anew"));
    return {
      rewound: rewound.map(({ name }) => name),
      findings: rewound.flatMap(({ findings }) => findings),
    };
  }
}
