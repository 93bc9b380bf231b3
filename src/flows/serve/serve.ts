import { existsSync } from "node:fs";
import { join } from "node:path";
import { isThisMachine } from "../../../kit/http/this-machine.ts";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import type { Project } from "../../io/project/project.ts";
import { openBundler } from "../../io/runner/bundle.ts";
import { freePort, PortTaken, type RunningServer, startServer } from "../../io/runner/server.ts";
import { supervised } from "../../io/runner/supervised.ts";
import { checkProject } from "../check/check.ts";
import { databaseUrl } from "../database.ts";
import { filesUrl } from "../files/location.ts";
import { aloneOn } from "../lock.ts";
import { requireMigrated } from "../migrate/migrate.ts";
import type { Report } from "../report.ts";

/** Where an application listens, as asked for. */
export interface Listening {
  host: string;
  /** Undefined for the first free one from 3000 on. */
  port: number | undefined;
  /** Whether others may reach an application to which nobody signs in. */
  open?: boolean;
  /** The name of the first administrator, who gets a link. */
  administrator?: string | undefined;
}

/** The port that an application gets when nobody asks for another. */
export const usualPort = 3000;

/** The port to take: the one asked for, or the first from `from` on that is free. */
export function portFor({ host, port }: Listening, from = usualPort): Promise<number> {
  return freePort(host, port ?? from, port !== undefined);
}

/** Starts something on the port to take; on the next one, where another program was faster. */
export async function startOn<Started>(
  listening: Listening,
  start: (port: number) => Promise<Started>,
  from?: number,
): Promise<{ port: number; started: Started }> {
  for (let tries = 1; ; tries++) {
    const port = await portFor(listening, from);
    try {
      return { port, started: await start(port) };
    } catch (error) {
      if (!(error instanceof PortTaken) || listening.port !== undefined || tries === 5) throw error;
    }
  }
}

/** The address shown to people. */
export function addressOf(host: string, port: number): string {
  const name = host === "0.0.0.0" || host === "::" ? "127.0.0.1" : host;
  return `http://${name.includes(":") ? `[${name}]` : name}:${port}/`;
}

/** Runs the application of a project as it is. Resolves when it answers. */
export async function serveProject(
  folder: string,
  listening: Listening,
  report: Report,
  log: (text: string) => void,
): Promise<RunningServer> {
  const { project, model } = checkProject(folder);
  requireGuarded(listening, model);
  requireBuilt(project);
  await requireMigrated(project, model);
  await portFor(listening);
  report({ kind: "working", on: "starting the application" });
  const bundler = await openBundler(project, true);
  try {
    // Other commands write the application's source; the lock keeps half-written source out of the bundle.
    const main = await aloneOn(project, "serve", () => bundler.bundle());
    const { host } = listening;
    const { open = false, administrator } = listening;
    const where = { database: databaseUrl(project), files: filesUrl(project) };
    const settings = { host, open, administrator, ...where, log };
    const { port, started: server } = await startOn(listening, (free) =>
      supervised(
        () =>
          startServer(project, main, {
            ...settings,
            port: free,
            welcome: (path) => report({ kind: "welcome", address: welcomeAt(host, free, path) }),
          }),
        (death) => report({ kind: "died", ...death }),
      ),
    );
    const wantedPort = listening.port ?? usualPort;
    report({ kind: "serving", address: addressOf(listening.host, port), wantedPort, port });
    return server;
  } finally {
    await bundler.close();
  }
}

/** Refuses to let others in where nobody signs in, unless that is asked for, and to invite somebody who can't sign in. */
export function requireGuarded({ host, open, administrator }: Listening, { users }: Model): void {
  if (administrator !== undefined && !users) {
    throw new Failure(
      "usage",
      "nobody signs in to this application, so there can be no administrator",
      "add `users:` to the model, or leave --administrator out",
    );
  }
  if (users || open || isThisMachine(host)) return;
  throw new Failure(
    "usage",
    `nobody signs in to this application: whoever reaches ${host} could read and change everything`,
    "add `users:` to the model, or allow it with --open-to-everyone",
  );
}

/** The address of a link that an application made. */
export function welcomeAt(host: string, port: number, path: string): string {
  return addressOf(host, port).replace(/\/$/, "") + path;
}

function requireBuilt(project: Project): void {
  if (existsSync(join(project.app, "src", "main.ts"))) return;
  throw new Failure("input", "there is no application yet", "run `levadura build`");
}
