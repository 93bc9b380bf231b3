// How things are measured: by the median of some runs, as a ratio to a reference of the same run.
import { execFileSync, spawn, spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { request } from "node:http";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

export const root = dirname(dirname(fileURLToPath(import.meta.url)));
export const bin = join(root, "bin", "levadura.js");

/** The median of some numbers. */
export function median(numbers) {
  return numbers.toSorted((a, b) => a - b)[Math.floor(numbers.length / 2)];
}

/** How long a task takes, in milliseconds. */
export async function timed(work) {
  const begun = performance.now();
  await work();
  return performance.now() - begun;
}

/** Medians of several tasks that take turns, so that a busy machine slows all of them alike. */
export async function byTurns(runs, ...works) {
  const times = works.map(() => []);
  for (let run = 0; run < runs; run++) {
    for (const [index, work] of works.entries()) times[index].push(await timed(work));
  }
  return times.map(median);
}

/** Runs a process to its end. */
export function run(args, cwd = root) {
  execFileSync(process.execPath, args, {
    cwd,
    stdio: "ignore",
    env: { ...process.env, DATABASE_URL: "" },
  });
}

/** A temporary folder that exists while a task runs in it. */
export async function inFolder(work) {
  const folder = mkdtempSync(join(tmpdir(), "levadura-bench-"));
  try {
    return await work(folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Starts a server in a process of its own; resolves when it has said where it is open. */
export async function startServer(args, cwd, env = {}) {
  const child = spawn(process.execPath, args, { cwd, env: { ...process.env, ...env } });
  let said = "";
  const address = await new Promise((resolve, reject) => {
    const hear = (chunk) => {
      said += chunk;
      const found = /(http:\/\/127\.0\.0\.1:\d+)\//.exec(said);
      if (found) resolve(found[1]);
    };
    child.stdout.on("data", hear);
    child.stderr.on("data", hear);
    child.once("exit", () => reject(new Error(said)));
  });
  const stop = () =>
    new Promise((resolve) => {
      child.once("exit", resolve);
      child.kill("SIGINT");
    });
  return { address, stop, pid: child.pid };
}

/** A page's text. */
export function fetchText(url, agent) {
  return new Promise((resolve, reject) => {
    const sent = request(url, { agent }, (answer) => {
      let text = "";
      answer.setEncoding("utf8");
      answer.on("data", (chunk) => {
        text += chunk;
      });
      answer.on("end", () => resolve(text));
    });
    sent.on("error", reject);
    sent.end();
  });
}

/** Asks until an answer satisfies. */
export async function until(url, satisfies) {
  for (;;) {
    const text = await fetchText(url).catch(() => "");
    if (satisfies(text)) return;
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
}

/** The memory that a process and those that it started take at the moment, in MB. */
export function memoryNow(pid) {
  const own = /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0;
  const children = readFileSync(`/proc/${pid}/task/${pid}/children`, "utf8").trim().split(" ");
  return children
    .filter(Boolean)
    .reduce((sum, child) => sum + memoryNow(child), Number(own) / 1024);
}

/** The most memory that a process takes, in MB. */
export function mostMemory(args) {
  const { stderr } = spawnSync("/usr/bin/time", ["-f", "%M", process.execPath, ...args], {
    encoding: "utf8",
  });
  return Number(stderr.trim().split("\n").at(-1)) / 1024;
}
