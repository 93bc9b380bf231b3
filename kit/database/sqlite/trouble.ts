import type { Trouble } from "../contract.ts";

const codes: Readonly<Record<string, Trouble>> = {
  SQLITE_BUSY: "busy",
  SQLITE_BUSY_SNAPSHOT: "conflict",
  SQLITE_LOCKED: "busy",
  SQLITE_CANTOPEN: "unreachable",
  SQLITE_INTERRUPT: "slow",
};

/** Why a statement failed, where neither data nor statement are the reason; undefined for any other error. */
export function troubleOf(error: unknown): Trouble | undefined {
  const { code } = (error ?? {}) as { code?: string };
  return code === undefined ? undefined : codes[code];
}
