import { type ChildProcess, execFile, spawn } from "node:child_process";
import { once } from "node:events";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { type AddressInfo, createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { onTestFinished } from "vitest";

/** The folder of this repository. */
export const repository = fileURLToPath(new URL("../..", import.meta.url));
const bin = join(repository, "bin", "levadura.js");
// Extra certificates of the machine, which Node reads for a sixth of a second as it starts, serve nobody here.
const env = { ...process.env, NO_COLOR: "1", DATABASE_URL: "", NODE_EXTRA_CA_CERTS: "" };

/** What a run of the program gave. */
export interface Run {
  status: number | null;
  out: string;
  /** Without the suggestion of what to do next, and without the lines of progress of a slow machine. */
  err: string;
  next: string;
}

const suggestion = /\nNext: (.*)\n/;
const progress = /^.+: (?:\d+ s(?: of about \d+)?|[\d,]+ rows, \d+ %)\n/gm;

/** Runs the built program. */
export function levadura(
  args: string[],
  cwd: string,
  input?: { env?: Record<string, string>; typed?: string },
): Promise<Run> {
  return new Promise((resolve) => {
    const child = execFile(
      process.execPath,
      [bin, ...args],
      { cwd, env: { ...env, ...input?.env }, maxBuffer: 32 * 1024 * 1024 },
      (error, out, err) =>
        resolve({
          status: error ? ((error.code as unknown as number) ?? null) : 0,
          out,
          err: err.replace(suggestion, "").replace(progress, ""),
          next: suggestion.exec(err)?.[1] ?? "",
        }),
    );
    child.stdin?.end(input?.typed ?? "");
  });
}

/** A new empty folder. Removed with the test, or by the one who asks to keep it. */
export function temporaryFolder(keep = false): string {
  const folder = mkdtempSync(join(tmpdir(), "levadura-test-"));
  if (!keep) onTestFinished(() => rmSync(folder, { recursive: true, force: true }));
  return folder;
}

/** A new folder with a model in it. */
export function projectWith(model: string, keep = false): string {
  const folder = temporaryFolder(keep);
  writeFileSync(join(folder, "model.yaml"), model);
  return folder;
}

/** The program while it goes on running. */
export interface Running {
  address: string;
  /** Everything said so far. */
  said(): string;
  /** Waits until a text was said. */
  until(text: string | RegExp, since?: number): Promise<void>;
  /** Asks it to end as Ctrl-C does; gives the exit status. */
  stop(): Promise<number | null>;
  child: ChildProcess;
}

/** Starts `serve`, `rise` or `demo`, and waits for the address. */
export async function running(
  args: string[],
  cwd: string,
  more: Record<string, string> = {},
): Promise<Running> {
  const child = spawn(process.execPath, [bin, ...args], { cwd, env: { ...env, ...more } });
  let text = "";
  const listeners = new Set<() => void>();
  const hear = (chunk: Buffer) => {
    text += chunk.toString();
    for (const listener of listeners) listener();
  };
  child.stdout.on("data", hear);
  child.stderr.on("data", hear);
  const exited = new Promise<number | null>((resolve) => child.once("exit", resolve));
  const until = (wanted: string | RegExp, since = 0) =>
    new Promise<void>((resolve, reject) => {
      const late = setTimeout(() => reject(new Error(`never said ${wanted}:\n${text}`)), 150_000);
      const look = () => {
        const heard = text.slice(since);
        if (typeof wanted === "string" ? !heard.includes(wanted) : !wanted.test(heard)) return;
        clearTimeout(late);
        listeners.delete(look);
        resolve();
      };
      listeners.add(look);
      look();
      void exited.then((code) => {
        look();
        if (listeners.has(look))
          reject(new Error(`ended with ${code} before it said ${wanted}:\n${text}`));
        clearTimeout(late);
      });
    });
  const stop = async () => {
    if (child.exitCode === null) child.kill("SIGINT");
    return exited;
  };
  const opened = /(?:Open |published to |"address":")(http[^\s"]+)\//;
  await until(opened);
  const address = opened.exec(text)?.[1] ?? "";
  return { address, said: () => text, until, stop, child };
}

/** A port that nobody listens on, far from those that commands try first: for one that restarts on it. */
export async function freePort(): Promise<string> {
  const server = createServer();
  await once(server.listen(0, "127.0.0.1"), "listening");
  const { port } = server.address() as AddressInfo;
  server.close();
  await once(server, "close");
  return String(port);
}
