import { Flags } from "@oclif/core";
import { databases } from "../../core/model/model.ts";
import { prepareDemo } from "../../flows/demo/demo.ts";
import { riseProject } from "../../flows/rise/rise.ts";
import { RunningCommand } from "../command.ts";
import { listeningFlags, listeningOf, passOn, runUntilStopped } from "../running.ts";

export default class Demo extends RunningCommand {
  static override summary = "run everything on made-up data";
  static override description =
    "Makes the project Hive Book, the records of a beekeepers' association, imports its workbook, and runs the application.";
  static override examples = [
    {
      command: "levadura demo",
      description: "makes the folder hive-book and opens the application",
    },
    {
      command: "levadura demo --database postgres",
      description: "keeps the records in PostgreSQL",
    },
  ];
  static override flags = {
    ...listeningFlags,
    into: Flags.string({
      description: "the folder of the demo; if it exists already, it is used as it is",
      default: "hive-book",
      helpValue: "DIR",
    }),
    database: Flags.option({ options: databases })({
      description: "the kind of database; DATABASE_URL says where a server is",
    }),
  };

  async run() {
    const { flags } = await this.parse(Demo);
    await prepareDemo(flags.into, flags.database, this.report);
    const listening = listeningOf(flags);
    await runUntilStopped(() => riseProject(flags.into, listening, this.report, passOn));
  }
}
