import { serveProject } from "../../flows/serve.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { listeningFlags, passOn, runUntilStopped } from "../running.ts";

export default class Serve extends LevaduraCommand {
  static override description = "Runs the application.";
  static override flags = { ...projectFlag, ...listeningFlags };

  async run() {
    const { flags } = await this.parse(Serve);
    await runUntilStopped(async () => {
      const server = await serveProject(flags.project, flags, this.report, passOn);
      this.say("Ctrl-C ends.");
      return server;
    });
    this.say("Stopped.");
  }
}
