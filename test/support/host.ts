import { execFileSync } from "node:child_process";
import dns from "node:dns";
import { chmodSync, existsSync, readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { freePort, levadura, type Run, type Running, running, temporaryFolder } from "./program.ts";

// Browsers and many systems know that these names mean this machine; not every system does.
const { lookup } = dns;
dns.lookup = Object.assign(
  (name: string, ...rest: unknown[]) =>
    (lookup as (...all: unknown[]) => void)(
      name.endsWith(".localhost") ? "127.0.0.1" : name,
      ...rest,
    ),
  lookup,
) as typeof lookup;

/** A host that a test runs, and the key by which it publishes. */
export interface TestHost {
  folder: string;
  key: string;
  /** The address of an application. */
  address(name: string): string;
  /** Runs a command that reaches the host. */
  publish(project: string, args?: string[], typed?: string): Promise<Run>;
  /** What it printed as JSON. */
  published(project: string, args?: string[]): Promise<Record<string, unknown>>;
  /** Starts it again, after it was stopped or killed. */
  start(): Promise<void>;
  program(): Running;
  /** The processes that run of an application, or of all. */
  processes(name: string): { pid: number; main: string }[];
}

/** Starts a host with a key that it admits. */
export async function hostFor(environment: Record<string, string> = {}): Promise<TestHost> {
  const root = temporaryFolder(true);
  // Applications have accounts of their own where tests run as root.
  chmodSync(root, 0o755);
  const key = join(root, "key");
  execFileSync("ssh-keygen", ["-q", "-t", "ed25519", "-N", "", "-C", "ana@bees", "-f", key]);
  const port = await freePort();
  const folder = join(root, "host");
  await levadura(["host", "admit", `${key}.pub`, "--folder", folder], root);
  let program: Running;
  const start = async () => {
    const args = ["host", "--json", "--folder", folder, "--port", port];
    program = await running(args, root, environment);
  };
  await start();
  const publish = (project: string, args: string[] = [], typed?: string) =>
    levadura(
      ["publish", ...args.slice(0, 1), `localhost:${port}`, ...args.slice(1), "--key", key].filter(
        (arg) => arg !== "",
      ),
      project,
      typed === undefined ? {} : { typed },
    );
  return {
    folder,
    key,
    address: (name) => `http://${name}.localhost:${port}`,
    publish,
    published: async (project, args = []) => {
      const { out, err, status } = await publish(project, [...args, "--json"]);
      if (status !== 0) throw new Error(out + err);
      return JSON.parse(out) as Record<string, unknown>;
    },
    start,
    program: () => program,
    processes: (name) => processesOf(join(folder, "applications", name)),
  };
}

/** The processes whose main file is in a folder. */
function processesOf(folder: string): { pid: number; main: string }[] {
  return readdirSync("/proc")
    .filter((name) => /^\d+$/.test(name) && existsSync(`/proc/${name}/cmdline`))
    .flatMap((name) => {
      try {
        const [, main = ""] = readFileSync(`/proc/${name}/cmdline`, "utf8").split("\0");
        return main.startsWith(folder) ? [{ pid: Number(name), main }] : [];
      } catch {
        return [];
      }
    });
}
