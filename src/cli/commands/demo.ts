import { Flags } from "@oclif/core";
import { databases } from "../../core/model/model.ts";
import { prepareDemo } from "../../flows/demo.ts";
import { riseProject } from "../../flows/rise.ts";
import { LevaduraCommand } from "../command.ts";
import { listeningFlags, passOn, runUntilStopped } from "../running.ts";

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
    database: Flags.option({ options: databases })({
      description: "what the demo keeps its records in; a server is found by DATABASE_URL",
    }),
  };

  async run() {
    const { flags } = await this.parse(Demo);
    await prepareDemo(flags.into, flags.database, this.report);
    const listening = { host: flags.host, port: flags.port };
    await runUntilStopped(() => riseProject(flags.into, listening, this.report, passOn));
  }
}
