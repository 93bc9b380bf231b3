import { riseProject } from "../../flows/rise/rise.ts";
import { projectFlag, RunningCommand } from "../command.ts";
import { listeningFlags, listeningOf, passOn, runUntilStopped } from "../running.ts";

export default class Rise extends RunningCommand {
  static override summary = "do all of it, then follow the model";
  static override description =
    "Checks the model, prepares and applies migrations, fills an empty database with sample rows, builds the application and runs it. Then watches: when you save the model, the open page follows.";
  static override examples = [
    { command: "levadura rise", description: "runs the project in this folder" },
    { command: "levadura rise --port 8080", description: "listens on another port" },
  ];
  static override flags = { ...projectFlag, ...listeningFlags };

  async run() {
    const { flags } = await this.parse(Rise);
    const listening = listeningOf(flags);
    await runUntilStopped(() => riseProject(flags.project, listening, this.report, passOn));
  }
}
