import { serveProject } from "../../flows/serve.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { listeningFlags, runUntilStopped } from "../running.ts";

export default class Serve extends LevaduraCommand {
  static override description = "Runs the application.";
  static override flags = { ...projectFlag, ...listeningFlags };

  async run() {
    const { flags } = await this.parse(Serve);
    const log = (text: string) => process.stderr.write(text);
    await runUntilStopped(async () => {
      const server = await serveProject(flags.project, flags, this.report, log);
      this.say("Ctrl-C ends.");
      return server;
    });
    this.say("Stopped.");
  }
}
