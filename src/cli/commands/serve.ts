import { serveProject } from "../../flows/serve/serve.ts";
import { projectFlag, RunningCommand } from "../command.ts";
import { listeningFlags, listeningOf, passOn, runUntilStopped } from "../running.ts";

export default class Serve extends RunningCommand {
  static override summary = "run the application";
  static override description =
    "Runs the application that `levadura build` wrote. It listens on this machine only, and restarts if it fails.";
  static override examples = [
    { command: "levadura serve", description: "prints the address to open" },
    {
      command: "HOST_NAMES=bees.example levadura serve --host 0.0.0.0",
      description: "lets other machines in, where people sign in",
    },
    {
      command: "levadura serve --administrator Ana",
      description: "prints a link by which the first administrator chooses a password",
    },
  ];
  static override flags = { ...projectFlag, ...listeningFlags };

  async run() {
    const { flags } = await this.parse(Serve);
    await runUntilStopped(async () => {
      const server = await serveProject(flags.project, listeningOf(flags), this.report, passOn);
      this.hint("Ctrl-C ends.");
      return server;
    });
    this.report({ kind: "stopped" });
  }
}
