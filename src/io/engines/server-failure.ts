import { BadSetting } from "../../../kit/database/limits.ts";
import { Failure } from "../../core/failure.ts";

/** What is wrong with a server, and what to do about it. */
type Reason = readonly [reason: string, help: string];

const silent: Reason = ["no server answers there", "start it, or correct DATABASE_URL"];

/** What the drivers of servers have in common. */
export const common = {
  ECONNREFUSED: silent,
  ETIMEDOUT: silent,
  ENOTFOUND: ["there is no machine of that name", "correct DATABASE_URL"],
} as const satisfies Record<string, Reason>;

export const denied: Reason = [
  "the account may not do that",
  "ask whoever runs the server for the permission",
];
export const full: Reason = ["its disk is full", "make room, and run it again"];
export const missing: Reason = ["there is no such database", "`levadura migrate` makes it"];
export const stopped: Reason = ["the server was shut down", "run it again once it is back"];

/** An error of a driver, as a failure by its code; without the password. */
export function serverFailure(
  address: URL,
  port: number,
  reasons: Readonly<Record<string, Reason>>,
  error: unknown,
): Failure {
  if (error instanceof Failure) return error;
  if (error instanceof BadSetting) return new Failure("usage", error.message);
  const { code = "", message, about } = error as { code?: string; message: string; about?: string };
  const place = `${address.hostname}:${address.port || port}${address.pathname}`;
  const known = reasons[code] ?? (/timeout/i.test(message) ? silent : undefined);
  const [reason, help] = known ?? [message || code, undefined];
  // What is known of the reason says nothing yet of how far a migration is.
  const advice = help && about ? `${help}; ${about}` : help;
  return new Failure("outside", `the database ${place}: ${reason}`, advice, code);
}
