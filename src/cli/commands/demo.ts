import { Flags } from "@oclif/core";
import { prepareDemo } from "../../flows/demo.ts";
import { riseProject } from "../../flows/rise.ts";
import { LevaduraCommand } from "../command.ts";
import { listeningFlags, passOn, runUntilStopped } from "../running.ts";
import { usualSeed } from "./seed.ts";

export default class Demo extends LevaduraCommand {
  static override description =
    "The whole thing on the demo data: Hive Book, the records of a beekeepers' association.";
  static override flags = {
    ...listeningFlags,
    into: Flags.string({
      description: "the folder for the demo project; one that has it goes on as it is",
      default: "hive-book",
      helpValue: "DIR",
    }),
  };

  async run() {
    const { flags } = await this.parse(Demo);
    await prepareDemo(flags.into, this.report);
    const listening = { host: flags.host, port: flags.port, seed: usualSeed };
    await runUntilStopped(() => riseProject(flags.into, listening, this.report, passOn));
  }
}
