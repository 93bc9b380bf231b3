import { randomBytes } from "node:crypto";
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { join, relative } from "node:path";
import { digestOf } from "../../../kit/access/secrets.ts";
import { afterwards } from "../../core/evolution/fitting.ts";
import { Failure } from "../../core/failure.ts";
import { databasesOf } from "../../io/host/databases.ts";
import { readSecrets, versionFolder, writeSecrets } from "../../io/host/place.ts";
import { output } from "../../io/host/program.ts";
import type { HostEvent, PublishRequest } from "../../io/host/published.ts";
import { layOut } from "../../io/host/received.ts";
import type { Run } from "../../io/host/run.ts";
import { packageRoot } from "../../io/package.ts";
import { platformHere } from "../../io/platform.ts";
import type { Host } from "./host.ts";
import type { Hosted } from "./hosted.ts";

type Tell = (event: HostEvent) => void;
type Done = Extract<HostEvent, { kind: "done" }>;

/** How many versions of an application stay, besides the one that runs. */
const mostVersions = 5;

/**
 * Publishes a package whose files have been received: backs the data up, applies migrations, starts the new version beside
 * the old one, and switches. Whatever fails is undone, and the old version goes on.
 */
export async function publish(
  host: Host,
  name: string,
  request: PublishRequest,
  by: string,
  tell: Tell,
): Promise<Done> {
  requirePublishable(request);
  if (request.preview) return preview(host, name, request, by, tell);
  const before = host.find(name);
  if (before && before.record.database !== request.package.database) {
    throw new Failure(
      "input",
      `${name} is over another kind of database (${before.record.database}), and its rows would stay there`,
      "publish under another name with --as",
    );
  }
  const hosted = before ?? (await make(host, name, request));
  return hosted.alone(by, async () => {
    try {
      return await replace(host, hosted, request, by, tell);
    } catch (error) {
      if (hosted.record.current === undefined) await host.remove(hosted);
      throw error;
    }
  });
}

/** Goes back to a version from before, with the rows of today or with those of the backup. */
export async function rollBack(
  hosted: Hosted,
  { to, data }: { to?: number | undefined; data: boolean },
  tell: Tell,
): Promise<Done> {
  const { versions, current, name, ownDatabase } = hosted.record;
  const running = versions.find(({ number }) => number === current);
  const goal = versions.find(({ number }) => number === (to ?? running?.before));
  if (!goal || !running || goal === running) {
    const others = versions.filter((each) => each !== running).map(({ number }) => number);
    throw new Failure(
      "usage",
      to === undefined
        ? `there is no version of ${name} from before the one that runs`
        : `there is no version ${to} of ${name} to go back to`,
      others.length > 0 ? `there is ${others.join(", ")}` : undefined,
    );
  }
  // The newest backup of what that version ran on.
  const old = versions.findLast(({ before }) => before === goal.number)?.backup;
  if (data && !(old && existsSync(join(hosted.place.backups, old)))) {
    throw new Failure(
      "input",
      `there is no backup of what version ${goal.number} ran on`,
      "go back without --data: the rows of today stay",
    );
  }
  if (data && !ownDatabase && hosted.record.database !== "sqlite") {
    throw new Failure(
      "usage",
      "the database isn't one that the host made, so it doesn't replace what is in it",
      `restore it from the backup ${old}`,
    );
  }
  tell({ kind: "working", on: "backing up" });
  const backup = await hosted.backUp();
  tell({ kind: "backed up", ...backup });
  const begun = Date.now();
  const goBack = () =>
    data
      ? withOldRows(hosted, goal.number, old ?? "", backup.name, tell)
      : withRowsOfToday(hosted, running, goal, tell);
  const isSame = JSON.stringify(goal.migrations) === JSON.stringify(running.migrations);
  const run = isSame && !data ? await goBack() : await hosted.holding(goBack);
  if (!isSame || data) tell({ kind: "waited", milliseconds: Date.now() - begun });
  return { kind: "done", number: run.number, address: hosted.address };
}

/** Starts the same version once more, with what was set by now. */
export async function restart(hosted: Hosted, tell: Tell): Promise<Done> {
  const { current = 0 } = hosted.record;
  tell({ kind: "working", on: "starting it again" });
  await hosted.switchTo(await hosted.start(current));
  return { kind: "done", number: current, address: hosted.address };
}

function requirePublishable({ package: { platform, signsIn }, open, preview }: PublishRequest) {
  const here = platformHere();
  if (platform !== here) {
    throw new Failure(
      "input",
      `the package is for ${platform}, and this host is ${here}`,
      "publish from a machine of the same kind",
    );
  }
  // A preview has a password of its own.
  if (signsIn || open || preview) return;
  throw new Failure(
    "usage",
    "nobody signs in to this application: whoever finds it could read and change everything",
    "add `users:` to the model, or allow it with --open-to-everyone",
  );
}

/** An application that is new on a host, with a database of its own. */
async function make(
  host: Host,
  name: string,
  { package: { title, database }, open }: PublishRequest,
  preview?: Hosted["record"]["preview"],
): Promise<Hosted> {
  const hosted = host.add({
    name,
    title,
    database,
    open,
    ownDatabase: true,
    versions: [],
    ...(preview && { preview }),
  });
  const secrets = readSecrets(hosted.place);
  if (secrets.DATABASE_URL) hosted.note({ ownDatabase: false });
  else {
    try {
      const DATABASE_URL = await databasesOf(database).make(name, hosted.place.data);
      writeSecrets(hosted.place, { ...secrets, DATABASE_URL });
    } catch (error) {
      await host.remove(hosted);
      throw error;
    }
  }
  return hosted;
}

async function replace(
  host: Host,
  hosted: Hosted,
  request: PublishRequest,
  by: string,
  tell: Tell,
): Promise<Done> {
  const { package: sent, administrator, open } = request;
  const { versions, current } = hosted.record;
  const number = Math.max(0, ...versions.map((each) => each.number)) + 1;
  layOut(host.place, sent.files, versionFolder(hosted.place, number));
  try {
    // Both only read the database.
    const [listed, backedUp] = await Promise.allSettled([
      migrationsOf(hosted, number),
      current === undefined ? undefined : backUp(hosted, tell),
    ]);
    const { applied, pending } = resultOf(listed);
    const backup = resultOf(backedUp);
    const { first, later } = inParts(pending);
    const since = applied.at(-1) ?? "0";
    // Without a version that runs, nobody waits.
    const fits = first.every((each) => sent.migrations.find(({ name }) => name === each)?.fits);
    let isSwitched: Promise<void> = Promise.resolve();
    const switchOver = async (): Promise<Run> => {
      if (first.length > 0) hosted.note({ publishing: { number, since } });
      try {
        await migrate(hosted, number, first, tell);
        tell({ kind: "working", on: "starting the new version" });
        const run = await hosted.start(number, administrator);
        const migrations = sent.migrations.map(({ name }) => name);
        const at = new Date().toISOString();
        const from = current === undefined ? {} : { before: current, ...(backup && { backup }) };
        const version = { number, at, by, migrations, ...from };
        hosted.note({
          title: sent.title,
          open,
          current: number,
          versions: [...versions, version],
          publishing: undefined,
        });
        // Requests that are held don't wait for the old version to end.
        isSwitched = hosted.switchTo(run);
        return run;
      } catch (error) {
        await takeBack(hosted, number, since, first, error);
        throw error;
      }
    };
    const begun = Date.now();
    const run = fits ? await switchOver() : await hosted.holding(switchOver);
    if (!fits) tell({ kind: "waited", milliseconds: Date.now() - begun });
    await isSwitched;
    await migrateLater(hosted, number, later, tell);
    forgetVersions(host, hosted);
    return {
      kind: "done",
      number,
      address: hosted.address,
      ...(run.welcome && { welcome: hosted.address.replace(/\/$/, "") + run.welcome }),
    };
  } catch (error) {
    if (hosted.record.current !== number) {
      rmSync(versionFolder(hosted.place, number), { recursive: true, force: true });
    }
    throw error;
  }
}

function resultOf<Value>(settled: PromiseSettledResult<Value>): Value {
  if (settled.status === "rejected") throw settled.reason;
  return settled.value;
}

async function backUp(hosted: Hosted, tell: Tell): Promise<string> {
  tell({ kind: "working", on: "backing up" });
  const backup = await hosted.backUp();
  tell({ kind: "backed up", ...backup });
  return backup.name;
}

/** The migrations of a version: those that the database has, and those that it lacks. */
async function migrationsOf(
  hosted: Hosted,
  number: number,
): Promise<{ applied: string[]; pending: string[] }> {
  const { current, versions } = hosted.record;
  const running = versions.find((each) => each.number === current);
  // The version that runs wouldn't, if the database lacked one of its own.
  if (
    running &&
    isSameFolder(migrationsFolder(hosted, number), migrationsFolder(hosted, running.number))
  ) {
    return { applied: [...running.migrations], pending: [] };
  }
  const printed = await hosted.program(number, "migrate.mjs", ["--list"]);
  const applied: string[] = [];
  const pending: string[] = [];
  for (const line of printed.split("\n")) {
    const [, state, name] =
      /^(applied|pending|failed|edited|missing|half-way) (.+)$/.exec(line) ?? [];
    if (!state || !name) continue;
    if (state === "edited" || state === "missing") {
      throw new Failure(
        "input",
        state === "edited"
          ? `the migration ${name} was changed after it was published`
          : `the database there has the migration ${name}, which this project lacks`,
        "fetch the newest version of the project",
      );
    }
    (state === "applied" ? applied : pending).push(name);
  }
  return { applied, pending };
}

function migrationsFolder(hosted: Hosted, number: number): string {
  return join(versionFolder(hosted.place, number), "migrations");
}

/** Whether two folders have the same files with the same content. */
function isSameFolder(one: string, other: string): boolean {
  const [files, others] = [one, other].map((folder) =>
    existsSync(folder)
      ? readdirSync(folder, { recursive: true, withFileTypes: true })
          .filter((entry) => entry.isFile())
          .map((entry) => relative(folder, join(entry.parentPath, entry.name)))
          .sort()
      : [],
  );
  return (
    JSON.stringify(files) === JSON.stringify(others) &&
    (files ?? []).every((file) =>
      readFileSync(join(one, file)).equals(readFileSync(join(other, file))),
    )
  );
}

/** Pending migrations: those before the new version starts, and those for when the version before has ended. */
function inParts(pending: readonly string[]): { first: string[]; later: string[] } {
  const last = pending.findLastIndex((name) => !name.endsWith(afterwards));
  return { first: pending.slice(0, last + 1), later: pending.slice(last + 1) };
}

/** Applies what could wait. The version that runs stays, also where that fails. */
async function migrateLater(
  hosted: Hosted,
  number: number,
  later: readonly string[],
  tell: Tell,
): Promise<void> {
  try {
    await migrate(hosted, number, later, tell);
  } catch (error) {
    const text = `${later.join(", ")} isn't applied: ${(error as Error).message}`;
    hosted.log.write("host", text);
    tell({ kind: "left", text });
  }
}

async function migrate(
  hosted: Hosted,
  number: number,
  pending: readonly string[],
  tell: Tell,
): Promise<void> {
  const last = pending.at(-1);
  if (last === undefined) return;
  tell({ kind: "working", on: "applying migrations" });
  const printed = await hosted.program(number, "migrate.mjs", ["--up-to", last]);
  for (const text of printed.trim().split("\n")) {
    hosted.log.write("host", text);
    tell({ kind: "migrated", text });
  }
}

/** Reverts what a version that failed did to the database, so that the old version runs on what it knows. */
async function takeBack(
  hosted: Hosted,
  number: number,
  since: string,
  pending: readonly string[],
  why: unknown,
): Promise<void> {
  hosted.log.write("host", `version ${number} wasn't published: ${(why as Error).message}`);
  if (pending.length === 0 || hosted.record.current === undefined) {
    hosted.note({ publishing: undefined });
    return;
  }
  try {
    await hosted.program(number, "migrate.mjs", ["--back-to", since]);
    hosted.note({ publishing: undefined });
  } catch (error) {
    throw new Failure(
      "outside",
      `${(why as Error).message}. The migrations couldn't be reverted: ${(error as Error).message}`,
      "the backup from before is kept: see `levadura publish status`",
    );
  }
}

/** Reverts the migrations that an older version doesn't know, and starts it. */
async function withRowsOfToday(
  hosted: Hosted,
  running: { number: number; migrations: readonly string[] },
  goal: { number: number; migrations: readonly string[] },
  tell: Tell,
): Promise<Run> {
  const since = goal.migrations.at(-1) ?? "0";
  const isNewer = running.migrations.some((name) => !goal.migrations.includes(name));
  // Going back to a newer version applies what it has.
  const isOlder = goal.migrations.some((name) => !running.migrations.includes(name));
  if (isNewer) {
    tell({ kind: "working", on: "reverting migrations" });
    const printed = await hosted.program(running.number, "migrate.mjs", ["--back-to", since]);
    for (const text of printed.trim().split("\n")) tell({ kind: "migrated", text });
  }
  try {
    if (isOlder) await migrate(hosted, goal.number, goal.migrations, tell);
    tell({ kind: "working", on: `starting version ${goal.number}` });
    const run = await hosted.start(goal.number);
    hosted.note({ current: goal.number });
    void hosted.switchTo(run);
    return run;
  } catch (error) {
    if (isOlder) {
      const known = running.migrations.at(-1) ?? "0";
      await hosted.program(goal.number, "migrate.mjs", ["--back-to", known]);
    }
    if (isNewer) await hosted.program(running.number, "migrate.mjs", []);
    throw error;
  }
}

/** Puts the rows of a backup back, and starts an older version on them. */
async function withOldRows(
  hosted: Hosted,
  number: number,
  backup: string,
  today: string,
  tell: Tell,
): Promise<Run> {
  const { current = number } = hosted.record;
  const from = (name: string) => join(hosted.place.backups, name);
  await hosted.end();
  try {
    tell({ kind: "working", on: "restoring the backup" });
    await hosted.restore(from(backup));
    const run = await hosted.start(number);
    hosted.note({ current: number });
    await hosted.switchTo(run);
    return run;
  } catch (error) {
    await hosted.restore(from(today));
    await hosted.switchTo(await hosted.start(current));
    throw error;
  }
}

/** Makes a copy of an application that ends by itself, with sample rows or with those of the application. */
async function preview(
  host: Host,
  of: string,
  request: PublishRequest,
  by: string,
  tell: Tell,
): Promise<Done> {
  const { package: sent, preview: asked, administrator } = request;
  const { rows = "sample", days = 7 } = asked ?? {};
  const original = host.find(of);
  if (rows === "copy" && original?.record.current === undefined) {
    throw new Failure(
      "input",
      `there is no ${of} here whose rows could be copied`,
      "publish it first, or make the preview with sample rows",
    );
  }
  const password = randomBytes(9).toString("base64url");
  const until = new Date(Date.now() + days * 86_400_000).toISOString();
  const name = `${of}--${randomBytes(2).toString("hex")}`;
  const digest = digestOf(password);
  const hosted = await make(host, name, request, { of, rows, until, digest });
  try {
    layOut(host.place, sent.files, versionFolder(hosted.place, 1));
    if (rows === "copy" && original) {
      tell({ kind: "working", on: "copying the rows" });
      const { name: backup } = await original.backUp();
      await hosted.restore(hosted.takeOver(join(original.place.backups, backup)));
    }
    const { pending } = await migrationsOf(hosted, 1);
    await migrate(hosted, 1, pending, tell);
    if (rows === "sample") {
      tell({ kind: "working", on: "making sample rows" });
      await seed(hosted);
    }
    tell({ kind: "working", on: "starting it" });
    const run = await hosted.start(1, sent.signsIn ? (administrator ?? "Preview") : undefined);
    const migrations = sent.migrations.map((each) => each.name);
    const version = { number: 1, at: new Date().toISOString(), by, migrations };
    hosted.note({ current: 1, versions: [version] });
    await hosted.switchTo(run);
    const { address } = hosted;
    const welcome = run.welcome && address.replace(/\/$/, "") + run.welcome;
    return { kind: "done", number: 1, address, password, until, ...(welcome && { welcome }) };
  } catch (error) {
    await host.remove(hosted);
    throw error;
  }
}

/** Makes sample rows by the model that is in the package. */
async function seed(hosted: Hosted): Promise<void> {
  const project = versionFolder(hosted.place, 1);
  const { PATH, HOME, DATABASE_URL, FILES_URL } = hosted.environment();
  mkdirSync(join(project, "data"), { recursive: true });
  const env = Object.fromEntries(
    Object.entries({ PATH, HOME, DATABASE_URL, FILES_URL }).flatMap(([name, value]) =>
      value === undefined ? [] : [[name, value]],
    ),
  );
  const program = join(packageRoot, "bin", "levadura.js");
  await output([program, "seed", "--project", project, "--quiet"], { cwd: project, env });
  hosted.giveAway();
}

/** Removes versions that nobody goes back to any more. */
function forgetVersions(host: Host, hosted: Hosted): void {
  const { versions, current } = hosted.record;
  const old = versions.filter(({ number }) => number !== current).slice(0, -mostVersions);
  if (old.length === 0) return;
  hosted.note({ versions: versions.filter((each) => !old.includes(each)) });
  for (const { number } of old) {
    rmSync(versionFolder(hosted.place, number), { recursive: true, force: true });
  }
  host.forgetUnused();
}
