import { Errors } from "@oclif/core";
import { Failure, type FailureCode } from "../core/failure.ts";
import type { Pointed } from "../core/model/diagnostics.ts";
import { type CommandLine, mistakeIn } from "./mistyped.ts";
import { readsJson, sayJson } from "./output.ts";
import { printFailure } from "./words.ts";

const statuses: Readonly<Record<FailureCode, number>> = { input: 1, usage: 2, outside: 3 };

/** Tells a failure, to a person or to a script, and sets the exit status. */
export function fail(error: unknown, line?: CommandLine): void {
  const failure = asFailure(error as Error, line);
  process.exitCode = statuses[failure.code];
  if (readsJson()) sayJson(failureJson(failure));
  else printFailure(failure);
}

/** A failure as scripts read it. */
export function failureJson(failure: Failure) {
  return {
    error: failure.message,
    ...(failure.help && { help: failure.help }),
    ...(Array.isArray(failure.details) && { diagnostics: failure.details as Pointed[] }),
  };
}

/** Turns anything thrown into a failure: a mistyped line, or a defect of Levadura. */
export function asFailure(error: Error, line?: CommandLine): Failure {
  if (error instanceof Failure) return error;
  if (error instanceof Errors.CLIError) {
    const { message, help } = mistakeIn(error.message, line ?? { command: "levadura", flags: [] });
    return new Failure("usage", message, help);
  }
  const debug = process.env.LEVADURA_DEBUG ? `\n${error.stack}` : "";
  return new Failure(
    "outside",
    `this is a fault in Levadura: ${error.message}${debug}`,
    "please report it; LEVADURA_DEBUG=1 shows where it happened",
  );
}
