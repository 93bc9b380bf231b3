import { Flags } from "@oclif/core";
import { Failure } from "../core/failure.ts";
import type { Listening } from "../flows/serve/serve.ts";
import { write } from "./terminal.ts";

/** The flags of commands that run an application. */
export const listeningFlags = {
  host: Flags.string({
    description:
      "the address to listen on; 0.0.0.0 lets other machines in, by the names in HOST_NAMES",
    default: "127.0.0.1",
    helpValue: "ADDRESS",
  }),
  port: Flags.integer({
    description: "the port; otherwise the first free one from 3000 on",
    helpValue: "N",
    min: 1,
    max: 65535,
  }),
  "open-to-everyone": Flags.boolean({
    description: "lets whoever reaches the application do everything, where nobody signs in",
  }),
  administrator: Flags.string({
    description: "makes a link by which the first administrator chooses a password",
    helpValue: "NAME",
  }),
};

/** Where and how to listen, as these flags say. */
export function listeningOf(flags: {
  host: string;
  port: number | undefined;
  "open-to-everyone": boolean;
  administrator: string | undefined;
}): Listening {
  const { host, port, administrator } = flags;
  return { host, port, open: flags["open-to-everyone"], administrator };
}

/** Passes on what a running application says of errors. */
export function passOn(text: string): void {
  write(process.stderr, text);
}

/** Something that runs until it is asked to stop, or ends by itself. */
interface Stoppable {
  ended: Promise<number | null>;
  stop(): Promise<void>;
}

/**
 * Starts something, and stops it on Ctrl-C or a signal to end, also on one that arrives while it still
 * starts. Fails when it ends by itself.
 */
export async function runUntilStopped(start: () => Promise<Stoppable>): Promise<void> {
  const asked = new Promise<"asked">((resolve) => {
    for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) {
      process.once(signal, () => resolve("asked"));
    }
  });
  const running = await start();
  // Ctrl-C in a terminal reaches the application too, so that its end may be noticed first.
  const why = await Promise.race([asked, running.ended]);
  await running.stop();
  if (why !== "asked" && why !== 0) {
    throw new Failure("outside", `the application ended with status ${why ?? "unknown"}`);
  }
}
