import { Command, Errors, Flags } from "@oclif/core";
import { Failure, type FailureCode } from "../core/failure.ts";
import type { Pointed } from "../core/model/diagnostics.ts";
import type { FlowEvent } from "../flows/report.ts";
import { endWork } from "./progress.ts";
import { write } from "./terminal.ts";
import { printEvent, printFailure } from "./words.ts";

const statuses: Readonly<Record<FailureCode, number>> = { input: 1, usage: 2, outside: 3 };

/** The flag of all commands that work on a project. */
export const projectFlag = {
  project: Flags.string({
    char: "p",
    description: "the folder of the project",
    default: ".",
    helpValue: "DIR",
  }),
};

/** What all commands share: how failures and events become words, and a script's JSON. */
export abstract class LevaduraCommand extends Command {
  static override enableJsonFlag = true;

  /** Tells an event of a flow; nothing in a script that reads JSON. */
  protected readonly report = (event: FlowEvent): void => {
    if (!this.jsonEnabled()) printEvent(event);
  };

  /** Says something to a person. */
  protected say(text: string): void {
    endWork();
    if (!this.jsonEnabled()) write(process.stdout, `${text}\n`);
  }

  protected override async catch(error: Error & { exitCode?: number }): Promise<void> {
    if (error instanceof Errors.ExitError) throw error;
    const failure = asFailure(error);
    process.exitCode = statuses[failure.code];
    if (this.jsonEnabled()) {
      this.logJson({
        error: failure.message,
        ...(failure.help && { help: failure.help }),
        ...(Array.isArray(failure.details) && { diagnostics: failure.details as Pointed[] }),
      });
    } else printFailure(failure);
  }
}

/** Whatever was thrown, as a failure: a mistyped line, or a mistake of ours. */
function asFailure(error: Error): Failure {
  if (error instanceof Failure) return error;
  if (error instanceof Errors.CLIError) {
    const message = error.message
      .replace(/\s*See more help with --help\s*$/, "")
      .replace(/\s+/g, " ");
    return new Failure("usage", message, "--help shows what can be typed");
  }
  const debug = process.env.LEVADURA_DEBUG ? `\n${error.stack}` : "";
  return new Failure(
    "outside",
    `this should not have happened: ${error.message}${debug}`,
    "please report it; LEVADURA_DEBUG=1 shows more",
  );
}
