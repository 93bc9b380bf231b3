import { type ChildProcess, spawn } from "node:child_process";
import { createServer } from "node:net";
import { Failure } from "../../core/failure.ts";
import type { Project } from "../project/project.ts";

/** An application that runs. */
export interface RunningServer {
  /** Resolves with its exit status when it ends. */
  ended: Promise<number | null>;
  stop(): Promise<void>;
}

/** Where an application listens and what it works on. */
export interface ServerSettings {
  host: string;
  port: number;
  /** The address of the database. */
  database: string;
  /** Where its files are: a folder, or the address of a bucket. */
  files: string;
  /** The file with what is known of its pages while it is being developed. */
  notes?: string;
  /** Whether whoever reaches the application may do everything, where nobody signs in. */
  open?: boolean;
  /** The name of the first administrator, if there is none; `welcome` takes the path of the link for them. */
  administrator?: string | undefined;
  welcome?(path: string): void;
  /** Takes what the application says of errors. */
  log(text: string): void;
}

/** Starts a bundled application in a process of its own, and waits until it answers. */
export async function startServer(
  project: Project,
  main: string,
  settings: ServerSettings,
): Promise<RunningServer> {
  const child = spawn(process.execPath, [main], {
    cwd: project.app,
    stdio: ["ignore", "ignore", "pipe", "ipc"],
    env: {
      ...process.env,
      HOST: settings.host,
      PORT: String(settings.port),
      DATABASE_URL: settings.database,
      FILES_URL: settings.files,
      ...(settings.open && { OPEN_TO_EVERYONE: "yes" }),
      ...(settings.administrator && { FIRST_ADMINISTRATOR: settings.administrator }),
      ...(settings.notes && { DEVELOPMENT_NOTES: settings.notes }),
    },
  });
  let said = "";
  let answers = false;
  child.stderr?.on("data", (chunk: Buffer) => {
    said = (said + chunk.toString()).slice(-4000);
    if (answers) settings.log(chunk.toString());
  });
  const ended = new Promise<number | null>((resolve) =>
    child.once("exit", (code) => resolve(code)),
  );
  const ready = new Promise<"ready">((resolve) =>
    child.once("message", (message) => {
      const { welcome } = message as { welcome?: string };
      if (welcome) settings.welcome?.(welcome);
      resolve("ready");
    }),
  );
  if ((await Promise.race([ready, ended])) !== "ready") {
    if (/^Port \d+ is in use/m.test(said)) throw new PortTaken(settings.port);
    settings.log(said);
    const first = said.split("\n").find((line) => /error/i.test(line)) ?? said.split("\n")[0];
    throw new Failure(
      "outside",
      `the application ended before it could answer${first ? `: ${first.trim()}` : ""}`,
    );
  }
  answers = true;
  if (said) settings.log(said);
  return { ended, stop: () => stop(child, ended) };
}

/** Another program took the port first. */
export class PortTaken extends Failure {
  constructor(port: number) {
    super("outside", `port ${port} is in use`, "end what uses it, or choose another --port");
  }
}

async function stop(child: ChildProcess, ended: Promise<unknown>): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return;
  child.kill("SIGTERM");
  const patience = setTimeout(() => child.kill("SIGKILL"), 5000);
  await ended;
  clearTimeout(patience);
}

/** The first port from `port` on that is free; a failure when `exactly` that one is asked for and taken. */
export async function freePort(host: string, port: number, exactly: boolean): Promise<number> {
  for (let candidate = port; candidate < port + 100 && candidate < 65536; candidate++) {
    const trouble = await portTrouble(host, candidate);
    if (trouble === undefined) return candidate;
    if (trouble !== "EADDRINUSE") {
      throw new Failure(
        "outside",
        `can't listen on ${host}:${candidate}: ${trouble}`,
        "choose another --host or --port",
      );
    }
    if (exactly) throw new PortTaken(candidate);
  }
  throw new Failure("outside", `no port from ${port} on is free`);
}

function portTrouble(host: string, port: number): Promise<string | undefined> {
  return new Promise((resolve) => {
    const probe = createServer();
    probe.once("error", (error: NodeJS.ErrnoException) => resolve(error.code ?? error.message));
    probe.listen(port, host, () => probe.close(() => resolve(undefined)));
  });
}
