import { readFileSync } from "node:fs";
import { join } from "node:path";
import { packageRoot } from "../package.ts";
import { type Account, output } from "./program.ts";

/** What is to be copied. */
export interface CopyOrder {
  /** A SQLite database: one in use, as it is at one moment, or the file of a backup. */
  database?: { from: string; to: string; isLive: boolean };
  /** Folders of files that nothing writes into once they are there. */
  folders: readonly { from: string; to: string }[];
}

/** Copies data as an account, beside this process; `modules` is a folder from which the driver of the database is found. */
export async function copyData(
  order: CopyOrder,
  modules: string,
  account: Account | undefined,
): Promise<void> {
  const text = readFileSync(join(packageRoot, "dist", "copy-data.js"), "utf8");
  const args = ["--input-type=module", "-", JSON.stringify(order)];
  await output(args, { cwd: modules, env: {}, input: text, ...account });
}
