import { chownSync, cpSync, existsSync, lchownSync, readdirSync, rmSync, statSync } from "node:fs";
import { basename, join } from "node:path";
import { fileOf } from "../../../kit/database/sqlite/connection.ts";
import { Failure } from "../../core/failure.ts";
import { ApplicationLog } from "../../io/host/application-log.ts";
import { type CopyOrder, copyData } from "../../io/host/copying.ts";
import { databasesOf } from "../../io/host/databases.ts";
import {
  type HostedPlace,
  makeFolder,
  readSecrets,
  versionFolder,
  writeHosted,
  writeSecrets,
} from "../../io/host/place.ts";
import { type Account, output } from "../../io/host/program.ts";
import type { HostedRecord } from "../../io/host/published.ts";
import { Run, within } from "../../io/host/run.ts";

/** How long a request waits while its application is switched or restarted, in milliseconds. */
const patience = 60_000;

/** How many requests may wait at once. */
const mostWaiting = 1000;

/** How many backups of an application stay. */
const mostBackups = 10;

/** An application on a host: what is remembered of it, and what runs. */
export class Hosted {
  readonly place: HostedPlace;
  readonly address: string;
  readonly log: ApplicationLog;
  record: HostedRecord;
  /** Whoever changes it at the moment. */
  busy: string | undefined;
  #run: Run | undefined;
  #hold: Promise<void> | undefined;
  #waiting = 0;

  constructor(place: HostedPlace, record: HostedRecord, address: string) {
    this.place = place;
    this.record = record;
    this.address = address;
    for (const folder of [place.backups, place.log]) makeFolder(folder, 0o700);
    makeFolder(place.versions, 0o755);
    makeFolder(place.data, 0o700);
    this.giveAway();
    this.log = new ApplicationLog(place.log);
  }

  get state(): "runs" | "starts" | "failed" | "unpublished" {
    if (this.#run?.answers) return "runs";
    if (this.#run?.isGivenUp) return "failed";
    return this.record.current === undefined ? "unpublished" : "starts";
  }

  get restarts(): number {
    return this.#run?.restarts ?? 0;
  }

  /** Remembers what changed. */
  note(changes: Partial<HostedRecord>): void {
    this.record = { ...this.record, ...changes };
    writeHosted(this.place, this.record);
  }

  /** Does something to it while nobody else does. */
  async alone<Result>(by: string, work: () => Promise<Result>): Promise<Result> {
    if (this.busy !== undefined) {
      const what = `${this.busy} is changing ${this.record.name} at the moment`;
      throw new Failure("outside", what, "try it again");
    }
    this.busy = by;
    try {
      return await work();
    } finally {
      this.busy = undefined;
    }
  }

  /** Undoes what the host was doing when it was ended: the version from before runs again. */
  async settle(): Promise<void> {
    const { publishing } = this.record;
    if (!publishing) return;
    const { number, since } = publishing;
    this.log.write("host", `version ${number} wasn't published: the host was ended`);
    await this.program(number, "migrate.mjs", ["--back-to", since]);
    this.note({ publishing: undefined });
  }

  /** Gives the data to the account of the application, and shuts others out. */
  giveAway(): void {
    const { account } = this.record;
    if (account === undefined) {
      makeFolder(this.place.root, 0o700);
      return;
    }
    makeFolder(this.place.root, 0o710);
    chownSync(this.place.root, process.getuid?.() ?? 0, account);
    chownAll(this.place.data, account);
  }

  /** Where a request is answered, and what to call when it is; undefined where nothing answers in time. */
  async enter(): Promise<{ port: number; leave: () => void } | undefined> {
    if (this.#hold) {
      if (this.#waiting >= mostWaiting) return undefined;
      this.#waiting++;
      const isOver = await within(this.#hold, patience);
      this.#waiting--;
      if (!isOver) return undefined;
    }
    const run = this.#run;
    // Counted before it is waited for, so that nobody ends it meanwhile.
    const leave = run?.enter();
    const port = await run?.port(patience);
    if (port !== undefined && leave) return { port, leave };
    leave?.();
    return undefined;
  }

  /** Lets no request through while something is done: those that are being answered end first, and those that come wait. */
  async holding<Result>(work: () => Promise<Result>): Promise<Result> {
    let release: () => void = () => undefined;
    this.#hold = new Promise((resolve) => {
      release = resolve;
    });
    try {
      await this.#run?.idle(10_000);
      return await work();
    } finally {
      this.#hold = undefined;
      release();
    }
  }

  /** Starts a version beside the one that runs, and sees that it answers. */
  async start(number: number, administrator?: string): Promise<Run> {
    const { place, record } = this;
    const folder = versionFolder(place, number);
    const run = await Run.start(
      number,
      (isFirst) => ({
        main: join(folder, "dist", "main.mjs"),
        folder,
        environment: {
          ...this.environment(),
          ...(isFirst && administrator && { FIRST_ADMINISTRATOR: administrator }),
        },
        account: accountOf(record),
        // Whoever has the link for the first administrator becomes it.
        log: (text) =>
          this.log.write(`version ${number}`, text.replace(/(\/-\/welcome\/)[\w-]+/g, "$1…")),
        logsAll: true,
        patience,
      }),
      (text) => this.log.write("host", `version ${number} ${text}`),
    );
    const trouble = await troubleOf(await run.port(patience));
    if (trouble === undefined) return run;
    await run.end(0);
    throw new Failure(
      "input",
      `version ${number} started, but ${trouble}`,
      "`levadura publish logs` shows what it said",
    );
  }

  /** Sends requests to a run from now on, and ends the one before once it has answered what it has. */
  async switchTo(run: Run): Promise<void> {
    const before = this.#run;
    this.#run = run;
    this.log.write("host", `version ${run.number} answers at ${this.address}`);
    await before?.end(30_000);
  }

  /** Ends what runs. */
  async end(wait = 30_000): Promise<void> {
    const run = this.#run;
    this.#run = undefined;
    await run?.end(wait);
  }

  /** Runs a program of a version's package to its end. Returns what it printed; throws what it complained of. */
  async program(number: number, file: string, args: readonly string[]): Promise<string> {
    const folder = versionFolder(this.place, number);
    return output([join(folder, "dist", file), ...args], {
      cwd: folder,
      env: this.environment(),
      ...accountOf(this.record),
    });
  }

  /** The variables with which the application runs: none of those of the host. */
  environment(): Record<string, string> {
    const { hostname, origin } = new URL(this.address);
    return {
      PATH: process.env.PATH ?? "",
      HOME: this.place.data,
      NODE_ENV: "production",
      FILES_URL: join(this.place.data, "files"),
      ...readSecrets(this.place),
      KEPT_FOLDER: join(this.place.data, "kept"),
      HOST: "127.0.0.1",
      PORT: "0",
      HOST_NAMES: hostname,
      PUBLIC_ADDRESS: origin,
      TRUST_FORWARDED: "yes",
      // What runs on this machine can reach it anyhow; who comes from elsewhere comes by the host.
      ...(this.record.open && { OPEN_TO_EVERYONE: "yes" }),
    };
  }

  /** Copies the data as it is now. Returns the name of the backup. */
  async backUp(): Promise<{ name: string; bytes: number }> {
    const name = new Date().toISOString().replace(/[:.]/g, "-").slice(0, 23);
    const folder = join(this.place.backups, name);
    makeFolder(folder, 0o700);
    const { backUp, file } = databasesOf(this.record.database);
    const to = join(folder, file);
    try {
      const { DATABASE_URL = "" } = readSecrets(this.place);
      const folders = foldersOf(this.place.data, folder);
      if (backUp === "as a file") {
        const database = { from: fileOf(DATABASE_URL), to, isLive: true };
        await this.#copy(folder, { folders, database });
      } else {
        await backUp(DATABASE_URL, to);
        await this.#copy(folder, { folders });
      }
    } catch (error) {
      rmSync(folder, { recursive: true, force: true });
      throw error;
    }
    this.#forgetOldBackups();
    return { name, bytes: statSync(to).size };
  }

  /** Puts data back as it was in a backup, of this application or of another. Nothing may run on it. */
  async restore(folder: string): Promise<void> {
    const { DATABASE_URL = "" } = readSecrets(this.place);
    const { restore, file } = databasesOf(this.record.database);
    const from = join(folder, file);
    const folders = foldersOf(folder, this.place.data);
    if (restore === "as a file") {
      const database = { from, to: fileOf(DATABASE_URL), isLive: false };
      await this.#copy(folder, { folders, database });
    } else {
      await restore(DATABASE_URL, from);
      await this.#copy(folder, { folders });
    }
  }

  /** Copies between the data and a backup, whose files belong to the account. */
  async #copy(backup: string, order: CopyOrder): Promise<void> {
    const { account, versions, current } = this.record;
    const modules = versionFolder(this.place, current ?? versions.at(-1)?.number ?? 1);
    if (account !== undefined) {
      lchownSync(backup, account, account);
      // The account passes through the folder of backups, but can't list it, and only while this is done.
      makeFolder(this.place.backups, 0o711);
    }
    try {
      await copyData(order, modules, accountOf(this.record));
    } finally {
      makeFolder(this.place.backups, 0o700);
    }
  }

  /** Takes over the backup of another application. Returns its folder. */
  takeOver(backup: string): string {
    const folder = join(this.place.backups, basename(backup));
    // Links stay links: what they lead to is not copied.
    cpSync(backup, folder, { recursive: true });
    if (this.record.account !== undefined) chownAll(folder, this.record.account);
    return folder;
  }

  /** The backups, newest first. */
  backups(): { name: string; bytes: number }[] {
    const { file } = databasesOf(this.record.database);
    return readdirSync(this.place.backups)
      .sort()
      .reverse()
      .flatMap((name) => {
        const path = join(this.place.backups, name, file);
        return existsSync(path) ? [{ name, bytes: statSync(path).size }] : [];
      });
  }

  /** Removes the application with all that it has; secrets that somebody gave it stay for the next of its name. */
  async remove(): Promise<void> {
    await this.end(0);
    const { DATABASE_URL, ...given } = readSecrets(this.place);
    const { ownDatabase, database, preview } = this.record;
    if (DATABASE_URL && ownDatabase) await databasesOf(database).remove(DATABASE_URL);
    rmSync(this.place.root, { recursive: true, force: true });
    const rest = DATABASE_URL && !ownDatabase ? { ...given, DATABASE_URL } : given;
    if (preview || Object.keys(rest).length === 0) return;
    makeFolder(this.place.root, 0o700);
    writeSecrets(this.place, rest);
  }

  #forgetOldBackups(): void {
    const kept = new Set(this.record.versions.slice(-2).map(({ backup }) => backup));
    for (const { name } of this.backups().slice(mostBackups)) {
      if (!kept.has(name)) {
        rmSync(join(this.place.backups, name), { recursive: true, force: true });
      }
    }
  }
}

function accountOf({ account }: HostedRecord): Account | undefined {
  return account === undefined ? undefined : { uid: account, gid: account };
}

/** What is wrong with an application that listens; undefined where it answers as it should. */
async function troubleOf(port: number | undefined): Promise<string | undefined> {
  if (port === undefined) return "it didn't answer";
  try {
    const signal = AbortSignal.timeout(20_000);
    const { status } = await fetch(`http://127.0.0.1:${port}/`, { redirect: "manual", signal });
    return status < 500 ? undefined : `its first page fails with status ${status}`;
  } catch (error) {
    return `it didn't answer: ${(error as Error).message}`;
  }
}

/** The folders of files that are copied with a database. */
function foldersOf(from: string, to: string): CopyOrder["folders"] {
  return ["files", "kept"].map((part) => ({ from: join(from, part), to: join(to, part) }));
}

/** Gives a folder and all in it to an account; what a link leads to stays whose it is. */
function chownAll(folder: string, account: number): void {
  lchownSync(folder, account, account);
  for (const entry of readdirSync(folder, { withFileTypes: true, recursive: true })) {
    lchownSync(join(entry.parentPath, entry.name), account, account);
  }
}
