import { Flags } from "@oclif/core";
import { Failure } from "../core/failure.ts";

/** The flags of commands that run an application. */
export const listeningFlags = {
  host: Flags.string({
    description: "where to listen; 0.0.0.0 lets other machines in",
    default: "127.0.0.1",
  }),
  port: Flags.integer({
    description: "the port, exactly; the first free one from 3000 on otherwise",
    min: 1,
    max: 65535,
  }),
};

/** Resolves on Ctrl-C or a signal to end; fails when the application ends by itself. */
export async function untilStopped(ended: Promise<number | null>): Promise<void> {
  const asked = new Promise<"asked">((resolve) => {
    for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) {
      process.once(signal, () => resolve("asked"));
    }
  });
  const why = await Promise.race([asked, ended]);
  // Ctrl-C in a terminal reaches the application too, so that its end may be noticed first.
  if (why === "asked" || why === 0) return;
  throw new Failure("outside", `the application ended with status ${why ?? "unknown"}`);
}
