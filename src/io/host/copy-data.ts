// The program that copies an application's data. It runs as the account of the application, from its standard input, so that
// links which the application made lead nowhere that it can't go itself. Its order is an argument, as JSON.
import {
  copyFileSync,
  existsSync,
  linkSync,
  mkdirSync,
  readdirSync,
  renameSync,
  rmSync,
} from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import type { CopyOrder } from "./copying.ts";

const order = JSON.parse(process.argv[2] ?? "{}") as CopyOrder;
for (const { from, to } of order.folders) link(from, to);
if (order.database) {
  const { from, to, isLive } = order.database;
  if (isLive) {
    // The driver that the application itself has.
    const Driver = createRequire(`${process.cwd()}/`)("libsql") as new (
      file: string,
    ) => { exec(sql: string): void; close(): void };
    const driver = new Driver(from);
    driver.exec(`vacuum into '${to.replaceAll("'", "''")}'`);
    driver.close();
  } else {
    copyFileSync(from, `${to}.new`);
    for (const ending of ["-wal", "-shm"]) rmSync(to + ending, { force: true });
    renameSync(`${to}.new`, to);
  }
}

/** Links all files of a folder into another, where they aren't there: nothing writes into files that exist. */
function link(from: string, to: string): void {
  if (!existsSync(from)) return;
  mkdirSync(to, { recursive: true, mode: 0o700 });
  for (const entry of readdirSync(from, { withFileTypes: true })) {
    const [source, target] = [join(from, entry.name), join(to, entry.name)];
    if (entry.isDirectory()) link(source, target);
    else if (entry.isFile() && !existsSync(target)) linkOrCopy(source, target);
  }
}

function linkOrCopy(source: string, target: string): void {
  try {
    linkSync(source, target);
  } catch {
    copyFileSync(source, target);
  }
}
