import { Errors, execute, flush } from "@oclif/core";
import { write } from "./terminal.ts";

/** Runs the command line. What a command itself didn't catch is a mistake in the line that was typed. */
export async function main(dir: string): Promise<void> {
  process.stdout.on("error", endOfReader);
  try {
    await execute({ dir });
  } catch (error) {
    const { message, oclif } = error as Error & { oclif?: { exit?: number } };
    if (error instanceof Errors.ExitError) process.exitCode = oclif?.exit ?? 0;
    else {
      write(process.stderr, `levadura: ${message}\n`);
      process.exitCode = 2;
    }
    await flush();
  }
}

/** A reader of the output that goes away, such as `head`, is no error. */
function endOfReader(error: NodeJS.ErrnoException): void {
  if (error.code === "EPIPE") process.exit(0);
  throw error;
}
