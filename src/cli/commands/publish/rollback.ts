import { Flags } from "@oclif/core";
import ansis from "ansis";
import { Failure } from "../../../core/failure.ts";
import { rollBackPublished } from "../../../flows/publish/look.ts";
import { agreed, canAsk } from "../../asking.ts";
import { LevaduraCommand } from "../../command.ts";
import { targetArgs, targetFlags, targetRequest } from "../../target-flags.ts";
import { done, next } from "../../words.ts";

export default class PublishRollback extends LevaduraCommand {
  static override summary = "go back to a version from before";
  static override description =
    "Starts an older version in the place of the one that runs. The rows stay as they are by now; migrations that the older version doesn't know are reverted, and what that deletes is kept. With --data, the rows go back as well, to the backup from just before the newer version. The data of today is backed up first in both cases.";
  static override examples = [
    { command: "levadura publish rollback", description: "to the version before" },
    { command: "levadura publish rollback --to 3", description: "to a version that status lists" },
    {
      command: "levadura publish rollback --data --yes",
      description: "with the rows from before; what was entered since is only in the backup",
    },
  ];
  static override args = targetArgs;
  static override flags = {
    ...targetFlags,
    to: Flags.integer({
      description: "the version; otherwise the one before that which runs",
      helpValue: "N",
      min: 1,
    }),
    data: Flags.boolean({ description: "take the rows back, too" }),
    yes: Flags.boolean({ char: "y", description: "do so without asking" }),
  };

  async run() {
    const { args, flags } = await this.parse(PublishRollback);
    const { to, data, yes } = flags;
    const target = targetRequest(args, flags);
    if (data && !yes) {
      const what = "rows that were entered since would only be in a backup";
      if (!canAsk() || flags.json) {
        const command = `levadura publish rollback --data${to === undefined ? "" : ` --to ${to}`} --yes`;
        throw new Failure("usage", `nothing was changed: ${what}`, `to continue: ${command}`);
      }
      if (!(await agreed(`Take the data back? All ${what}.`))) {
        throw new Failure("usage", "nothing was changed");
      }
    }
    const gone = await rollBackPublished(flags.project, target, { to, data }, this.report);
    this.say(done(`Version ${gone.version} is at ${ansis.bold(gone.address)} again`));
    this.hint(next("levadura publish status", "shows versions and backups"));
    return gone;
  }
}
