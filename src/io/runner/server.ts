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

/** Starts a bundled application of a project, and waits until it answers. */
export async function startServer(
  project: Project,
  main: string,
  settings: ServerSettings,
): Promise<RunningServer> {
  const { host, port, database, files, open, administrator, notes, log, welcome } = settings;
  const { welcome: path, ...running } = await startProcess({
    main,
    folder: project.app,
    environment: {
      ...process.env,
      HOST: host,
      PORT: String(port),
      DATABASE_URL: database,
      FILES_URL: files,
      ...(open && { OPEN_TO_EVERYONE: "yes" }),
      ...(administrator && { FIRST_ADMINISTRATOR: administrator }),
      ...(notes && { DEVELOPMENT_NOTES: notes }),
    },
    log,
  });
  if (path) welcome?.(path);
  return running;
}

/** How a process of an application is started. */
export interface Start {
  /** The main file of its bundle. */
  main: string;
  /** The folder in which it runs. */
  folder: string;
  environment: NodeJS.ProcessEnv;
  /** The account that it runs as; otherwise that of this process. */
  account?: { uid: number; gid: number } | undefined;
  /** Takes what it says; all of it, or of errors only. */
  log(text: string): void;
  logsAll?: boolean;
  /** After how many milliseconds without an answer it is given up; never without it. */
  patience?: number;
}

/** A process that answers, where, and the path of the link for the first administrator. */
export interface Answering extends RunningServer {
  port: number;
  welcome: string | undefined;
}

/** Starts an application in a process of its own, and waits until it answers. */
export async function startProcess(start: Start): Promise<Answering> {
  const { main, folder, environment, account, log, logsAll } = start;
  const child = spawn(process.execPath, [main], {
    cwd: folder,
    stdio: ["ignore", logsAll ? "pipe" : "ignore", "pipe", "ipc"],
    env: environment,
    ...account,
  });
  let said = "";
  let answers = false;
  child.stdout?.on("data", (chunk: Buffer) => log(chunk.toString()));
  child.stderr?.on("data", (chunk: Buffer) => {
    said = (said + chunk.toString()).slice(-4000);
    if (answers) log(chunk.toString());
  });
  const ended = new Promise<number | null>((resolve) => {
    child.once("exit", (code) => resolve(code));
    child.once("error", (error) => {
      said += error.message;
      resolve(null);
    });
  });
  const ready = new Promise<{ port: number; welcome?: string }>((resolve) =>
    child.once("message", (message) => resolve(message as { port: number; welcome?: string })),
  );
  const late = new Promise<undefined>((resolve) => {
    if (start.patience) setTimeout(resolve, start.patience, undefined).unref();
  });
  const first = await Promise.race([ready, ended, late]);
  if (first === undefined) {
    await stop(child, ended);
    const seconds = Math.round((start.patience ?? 0) / 1000);
    throw new Failure("outside", `the application didn't answer within ${seconds} s`);
  }
  if (typeof first !== "object" || first === null) {
    const [, taken] = /^Port (\d+) is in use/m.exec(said) ?? [];
    if (taken) throw new PortTaken(Number(taken));
    log(said);
    const line = complaintIn(said);
    throw new Failure(
      "outside",
      `the application ended before it could answer${line ? `: ${line}` : ""}`,
    );
  }
  answers = true;
  if (said) log(said);
  return {
    port: first.port,
    welcome: first.welcome,
    ended,
    stop: () => stop(child, ended),
  };
}

/** The line that says what is wrong, of all that a program said when it ended. */
export function complaintIn(said: string): string {
  const lines = said.trim().split("\n");
  const named = lines.find((line) => /^(Uncaught )?[A-Z]?\w*Error\b.*: /.test(line));
  return (named ?? lines.find((line) => /error/i.test(line)) ?? lines[0] ?? "")
    .trim()
    .slice(0, 500);
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
