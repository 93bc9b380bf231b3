import type { Trouble } from "../contract.ts";
import { Silence } from "../servers/pooling.ts";
import { NoneReady } from "../servers/several.ts";

/** The codes of the server (appendix A of its manual), and those of the system. */
const codes: Readonly<Record<string, Trouble>> = {
  "40001": "conflict",
  "40P01": "conflict",
  "55P03": "busy",
  "57014": "slow",
  "53300": "unreachable",
  "57P01": "lost",
  "57P02": "lost",
  "57P03": "unreachable",
  "57P05": "lost",
  "25P03": "slow",
  // The server only follows another one by now.
  "25006": "lost",
  "08000": "lost",
  "08003": "lost",
  "08006": "lost",
  "08001": "unreachable",
  "08004": "unreachable",
  ECONNREFUSED: "unreachable",
  ENOTFOUND: "unreachable",
  EHOSTUNREACH: "unreachable",
  ENETUNREACH: "unreachable",
  ECONNRESET: "lost",
  EPIPE: "lost",
  ETIMEDOUT: "lost",
};

/** What the driver says where it has no code. */
const words: readonly (readonly [RegExp, Trouble])[] = [
  [
    /^timeout exceeded when trying to connect|^Connection terminated due to connection timeout/,
    "unreachable",
  ],
  [/^Connection terminated|^Client has encountered a connection error|^Client was closed/, "lost"],
];

/** Why a statement failed, where neither data nor statement are the reason; undefined for any other error. */
export function troubleOf(error: unknown): Trouble | undefined {
  if (error instanceof Silence) return "slow";
  if (error instanceof NoneReady) return "unreachable";
  const { code, message = "" } = (error ?? {}) as { code?: string; message?: string };
  if (code !== undefined && Object.hasOwn(codes, code)) return codes[code];
  return words.find(([pattern]) => pattern.test(message))?.[1];
}
