import { isThisMachine } from "../http/this-machine.ts";
import { isMailConfigured } from "./transport.ts";

/**
 * Whether whoever reaches the application can look into its mailbox: while it is being developed, on this machine, and no
 * letter leaves it.
 */
export function isMailboxOpen(): boolean {
  const isDeveloped = process.env.DEVELOPMENT_NOTES !== undefined;
  return isDeveloped && isThisMachine(process.env.HOST || "127.0.0.1") && !isMailConfigured();
}
