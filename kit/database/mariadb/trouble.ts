import type { Trouble } from "../contract.ts";
import { Silence } from "../servers/pooling.ts";
import { NoneReady } from "../servers/several.ts";

/** The names that the driver has for errors of the server and of the system. */
const codes: Readonly<Record<string, Trouble>> = {
  ER_LOCK_DEADLOCK: "conflict",
  ER_CHECKREAD: "conflict",
  ER_LOCK_WAIT_TIMEOUT: "busy",
  ER_STATEMENT_TIMEOUT: "slow",
  ER_QUERY_INTERRUPTED: "slow",
  ER_CON_COUNT_ERROR: "unreachable",
  ER_SERVER_SHUTDOWN: "lost",
  ER_CONNECTION_KILLED: "lost",
  PROTOCOL_CONNECTION_LOST: "lost",
  // The server only follows another one by now.
  ER_OPTION_PREVENTS_STATEMENT: "lost",
  // A member that lost its cluster does nothing.
  ER_UNKNOWN_COM_ERROR: "lost",
  POOL_CLOSED: "unreachable",
  ECONNREFUSED: "unreachable",
  ENOTFOUND: "unreachable",
  EHOSTUNREACH: "unreachable",
  ENETUNREACH: "unreachable",
  ETIMEDOUT: "unreachable",
  ECONNRESET: "lost",
  EPIPE: "lost",
};

/** Errors that the driver has no name for: a statement that took too long, a connection that was ended. */
const numbers: Readonly<Record<number, Trouble>> = { 1969: "slow", 1927: "lost", 4031: "lost" };

/** Why a statement failed, where neither data nor statement are the reason; undefined for any other error. */
export function troubleOf(error: unknown): Trouble | undefined {
  if (error instanceof Silence) return "slow";
  if (error instanceof NoneReady) return "unreachable";
  const {
    code,
    errno,
    message = "",
  } = (error ?? {}) as {
    code?: string;
    errno?: number;
    message?: string;
  };
  if (errno !== undefined && Object.hasOwn(numbers, errno)) return numbers[errno];
  if (code !== undefined && Object.hasOwn(codes, code)) return codes[code];
  return /connection is in closed state/.test(message) ? "lost" : undefined;
}
