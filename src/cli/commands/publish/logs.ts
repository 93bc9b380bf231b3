import { Flags } from "@oclif/core";
import { publishedLogs } from "../../../flows/publish/look.ts";
import { LevaduraCommand } from "../../command.ts";
import { hand } from "../../output.ts";
import { targetArgs, targetFlags, targetRequest } from "../../target-flags.ts";

export default class PublishLogs extends LevaduraCommand {
  static override summary = "show what a published application said";
  static override description =
    "Prints the last lines of what the application and the host said of it, each with its moment (UTC) and version.";
  static override examples = [
    { command: "levadura publish logs", description: "the last 100 lines" },
    { command: "levadura publish logs --follow", description: "and each that is added" },
  ];
  static override args = targetArgs;
  static override flags = {
    ...targetFlags,
    lines: Flags.integer({
      description: "how many lines (100 if left out)",
      helpValue: "N",
      min: 1,
      max: 10_000,
    }),
    follow: Flags.boolean({ description: "go on with each line that is added, until Ctrl-C" }),
  };

  async run() {
    const { args, flags } = await this.parse(PublishLogs);
    const { lines = 100, follow } = flags;
    const stop = new AbortController();
    process.once("SIGINT", () => stop.abort());
    let text = "";
    await publishedLogs(
      flags.project,
      targetRequest(args, flags),
      { lines, follow, signal: stop.signal },
      (some) => {
        if (!follow) text += some;
        hand(some);
      },
    );
    return { lines: text.split("\n").filter((line) => line !== "") };
  }
}
