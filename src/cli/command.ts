import { Command, Errors, Flags } from "@oclif/core";
import { currentProject } from "../flows/project-names.ts";
import type { FlowEvent } from "../flows/report.ts";
import { asFailure, fail, failureJson } from "./failing.ts";
import { commandName } from "./help/options.ts";
import { hint, readsJson, say, sayJson, tell, trace, warn } from "./output.ts";
import { printEvent } from "./words.ts";

/** The option of all commands that work on a project. */
export const projectFlag = {
  project: Flags.string({
    char: "p",
    description:
      "the folder of the project; otherwise this folder, or the nearest one above that has a model",
    default: async () => currentProject(),
    noCacheDefault: true,
    helpValue: "DIR",
  }),
};

/** What all commands share: how failures and events become words, and a script's JSON. */
export abstract class LevaduraCommand extends Command {
  static override enableJsonFlag = true;
  static override baseFlags = {
    json: Flags.boolean({ description: "print the result as JSON" }),
    quiet: Flags.boolean({ char: "q", description: "print nothing but results and errors" }),
    verbose: Flags.boolean({ description: "print what runs, and how long it takes" }),
    "no-color": Flags.boolean({ description: "print no colours" }),
  };

  /** Tells an event of a flow. */
  protected readonly report = (event: FlowEvent): void => {
    if (event.kind === "working") trace(event.on);
    if (!readsJson()) printEvent(event);
  };

  /** Says what was asked for. */
  protected say(text: string): void {
    say(text);
  }

  /** Says what was done on the way. */
  protected tell(text: string): void {
    tell(text);
  }

  /** Says what a person should know besides. */
  override warn<Input extends Error | string>(input: Input): Input {
    warn(typeof input === "string" ? input : input.message);
    return input;
  }

  /** Suggests what to do next. */
  protected hint(text: string): void {
    hint(text);
  }

  override jsonEnabled(): boolean {
    return readsJson();
  }

  override async finally(): Promise<void> {
    trace("finished");
  }

  override logJson(json: unknown): void {
    sayJson(json, 2);
  }

  protected override async catch(error: Error & { exitCode?: number }): Promise<void> {
    if (error instanceof Errors.ExitError) throw error;
    // Parsing failed, so there are no parsed flags to read.
    this.parsed = true;
    const { id, flags, baseFlags } = this.ctor;
    const names = Object.keys({ ...baseFlags, ...flags, help: true });
    fail(error, {
      command: `levadura ${commandName(id)}`,
      flags: names.map((name) => `--${name}`),
    });
  }
}

/** A command that runs until it is ended: a script gets each event as a line of JSON. */
export abstract class RunningCommand extends LevaduraCommand {
  protected override readonly report = (event: FlowEvent): void => {
    if (event.kind === "working") trace(event.on);
    if (!readsJson()) printEvent(event);
    else if (event.kind === "trouble") {
      sayJson({
        kind: "trouble",
        runs: event.runs,
        ...failureJson(asFailure(event.error as Error)),
      });
    } else if (event.kind !== "working" && event.kind !== "progress") sayJson(event);
  };
}
