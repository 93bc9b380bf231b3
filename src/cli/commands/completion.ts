import { Args } from "@oclif/core";
import { LevaduraCommand } from "../command.ts";
import { candidatesFor } from "../help/candidates.ts";
import { completionScript, shells } from "../help/completion-scripts.ts";
import { next } from "../words.ts";

export default class Completion extends LevaduraCommand {
  static override summary = "print a script that completes commands in your shell";
  static override description =
    "Completes commands, options, and the names of entities and migrations of the project.";
  static override examples = [
    {
      command: "levadura completion bash > ~/.local/share/bash-completion/completions/levadura",
      description: "for bash",
    },
    { command: "levadura completion zsh > ~/.zsh/completions/_levadura", description: "for zsh" },
    {
      command: "levadura completion fish > ~/.config/fish/completions/levadura.fish",
      description: "for fish",
    },
  ];
  static override strict = false;
  static override args = {
    shell: Args.string({
      description: shells.join(", "),
      required: true,
      options: [...shells, "words"],
    }),
  };

  async run() {
    // The scripts ask for the words that may follow: `levadura completion words -- seed H`.
    const { args } = await this.parse(Completion);
    if (args.shell === "words") {
      // Unparsed: the last word may be `--`.
      const typed = this.argv.slice(this.argv.indexOf("--") + 1);
      const words = candidatesFor(this.config, typed);
      if (words.length > 0) this.say(words.join("\n"));
      return { words };
    }
    const script = completionScript(args.shell as (typeof shells)[number]);
    this.say(script.trimEnd());
    this.hint(next("levadura help completion", "says where each shell looks for it"));
    return { script };
  }
}
