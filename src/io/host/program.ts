import { spawn, spawnSync } from "node:child_process";
import { Failure } from "../../core/failure.ts";
import { complaintIn } from "../runner/server.ts";

/** The numbers of an account. */
export interface Account {
  uid: number;
  gid: number;
}

/** Runs Node to its end, and gives what it printed. Throws with what it complained of. */
export async function output(
  args: readonly string[],
  options: { cwd: string; env: Record<string, string>; input?: string } & Partial<Account>,
): Promise<string> {
  const { input = "", ...rest } = options;
  const child = spawn(process.execPath, [...args], { ...rest, stdio: ["pipe", "pipe", "pipe"] });
  let printed = "";
  let complained = "";
  child.stdin.on("error", () => undefined);
  child.stdin.end(input);
  child.stdout.on("data", (chunk: Buffer) => {
    printed = (printed + chunk.toString()).slice(-1_000_000);
  });
  child.stderr.on("data", (chunk: Buffer) => {
    complained = (complained + chunk.toString()).slice(-4000);
  });
  const status = await new Promise<number | null>((resolve) => {
    child.once("error", ({ message }) => {
      complained += message;
      resolve(null);
    });
    child.once("close", resolve);
  });
  if (status === 0) return printed;
  const said = complaintIn(complained) || `it ended with status ${status}`;
  throw new Failure(status === 1 ? "input" : "outside", said);
}

/** Whether an account can reach a folder and run Node there. */
export function canReach(account: number, folder: string): boolean {
  const asked = { cwd: folder, uid: account, gid: account, env: {} };
  return spawnSync(process.execPath, ["-e", "0"], asked).status === 0;
}
