import { riseProject } from "../../flows/rise.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { listeningFlags, passOn, runUntilStopped } from "../running.ts";

export default class Rise extends LevaduraCommand {
  static override description =
    "All of it: checks, prepares, migrates, seeds when empty, builds, serves; then follows the model.";
  static override flags = { ...projectFlag, ...listeningFlags };

  async run() {
    const { flags } = await this.parse(Rise);
    const listening = { host: flags.host, port: flags.port };
    await runUntilStopped(() => riseProject(flags.project, listening, this.report, passOn));
  }
}
