import { mkdirSync, rmSync } from "node:fs";
import { join } from "node:path";
import Driver from "libsql";
import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { fileFailure, readText, writeAll } from "./files.ts";
import type { Project } from "./project.ts";

/** How long a command waits for another one to be done, in milliseconds: for files a little, for rows for long. */
const patience = { files: 10_000, rows: 600_000 };
const ofFiles: ReadonlySet<string> = new Set(["build", "prepare"]);

/** The process that works on a project. */
const holderShape = z.object({ command: z.string(), process: z.int(), since: z.string() });
type Holder = z.infer<typeof holderShape>;

/**
 * Does some work on the files and the database of a project while no other command does. The lock is one of the
 * operating system, on a file of the project: it ends with the process that has it, however that ends.
 */
export async function withProjectLock<Result>(
  project: Project,
  command: string,
  work: () => Promise<Result>,
): Promise<Result> {
  const release = await take(project, command);
  try {
    return await work();
  } finally {
    release();
  }
}

async function take(project: Project, command: string): Promise<() => void> {
  const driver = open(project);
  const path = join(project.run, "lock.json");
  const longest = ofFiles.has(command) ? patience.files : patience.rows;
  for (const end = Date.now() + longest; ; ) {
    try {
      driver.exec("begin exclusive");
      break;
    } catch (error) {
      if (!isBusy(error)) throw fileFailure("lock", join(project.run, "lock"), error);
    }
    if (Date.now() > end) {
      driver.close();
      throw held(readHolder(path));
    }
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  const holder: Holder = { command, process: process.pid, since: new Date().toISOString() };
  writeAll([{ path, text: `${JSON.stringify(holder)}\n` }], project.root);
  return () => {
    rmSync(path, { force: true });
    driver.exec("rollback");
    driver.close();
  };
}

function open(project: Project): Driver.Database {
  try {
    mkdirSync(project.run, { recursive: true });
    const driver = new Driver(join(project.run, "lock"));
    driver.pragma("busy_timeout = 0");
    return driver;
  } catch (error) {
    throw fileFailure("lock", join(project.run, "lock"), error);
  }
}

function isBusy(error: unknown): boolean {
  return String((error as { code?: unknown }).code).startsWith("SQLITE_BUSY");
}

function readHolder(path: string): Holder | undefined {
  try {
    return holderShape.parse(JSON.parse(readText(path) ?? ""));
  } catch {
    return undefined;
  }
}

function held(holder: Holder | undefined): Failure {
  const who = holder
    ? `\`levadura ${holder.command}\` (process ${holder.process}, since ${holder.since})`
    : "another command";
  return new Failure(
    "outside",
    `${who} is using this project`,
    `wait until it has finished${holder ? `, or end it with: kill ${holder.process}` : ""}. The lock ends with it`,
  );
}
