import { randomBytes } from "node:crypto";
import { appendFileSync, existsSync, mkdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { Failure } from "../../core/failure.ts";
import {
  applicationNames,
  type HostPlace,
  hostedPlace,
  makeFolder,
  openHostPlace,
  readHosted,
  readSecrets,
  writeHosted,
  writeSecrets,
} from "../../io/host/place.ts";
import { canReach } from "../../io/host/program.ts";
import type { HostedRecord, HostedStatus } from "../../io/host/published.ts";
import { forgetUnused } from "../../io/host/received.ts";
import { Hosted } from "./hosted.ts";

/** How a host is run. */
export interface HostSettings {
  folder: string;
  /** The origin under which the host itself is reached; applications are under names in front of its host. */
  origin: URL;
  /** Whether applications run as accounts of their own, which takes the rights of root. */
  ownAccounts: boolean;
}

/** Numbers of accounts that applications run as; systems give these to nobody by themselves. */
const firstAccount = 70_000;
const lastAccount = 99_999;

/** A machine's place for applications: what is published to it, and what runs. */
export class Host {
  readonly place: HostPlace;
  readonly settings: HostSettings;
  readonly #hosted = new Map<string, Hosted>();
  #receiving = 0;

  private constructor(settings: HostSettings) {
    this.settings = settings;
    this.place = openHostPlace(settings.folder);
    if (settings.ownAccounts && !canReach(firstAccount, this.place.applications)) {
      throw new Failure(
        "outside",
        `other accounts can't reach ${this.place.applications}, or the program ${process.execPath}`,
        "choose another --folder, such as /srv/levadura; or run all applications as this account with --one-account",
      );
    }
  }

  /** Opens the place, and starts what was published to it. One that can't be started doesn't keep others from it. */
  static async open(settings: HostSettings, tell: (text: string) => void): Promise<Host> {
    const host = new Host(settings);
    for (const name of applicationNames(host.place)) {
      const place = hostedPlace(host.place, name);
      const record = readHosted(place);
      if (!record) continue;
      const hosted = new Hosted(place, record, host.addressOf(name));
      host.#hosted.set(name, hosted);
    }
    await Promise.all(
      [...host.#hosted.values()].map(async (hosted) => {
        const { name, current } = hosted.record;
        if (current === undefined) return host.remove(hosted);
        try {
          await hosted.settle();
          await hosted.switchTo(await hosted.start(current));
        } catch (error) {
          hosted.log.write("host", (error as Error).message);
          tell(`${name} couldn't be started: ${(error as Error).message}`);
        }
      }),
    );
    return host;
  }

  find(name: string): Hosted | undefined {
    return this.#hosted.get(name);
  }

  /** The applications, without previews. */
  all(): Hosted[] {
    return [...this.#hosted.values()].filter(({ record }) => !record.preview);
  }

  /** The application that a host name of a request means. */
  named(hostname: string): Hosted | undefined {
    const ending = `.${this.settings.origin.hostname}`;
    return hostname.endsWith(ending) ? this.find(hostname.slice(0, -ending.length)) : undefined;
  }

  /** Where people reach an application. */
  addressOf(name: string): string {
    const address = new URL(this.settings.origin);
    address.hostname = `${name}.${address.hostname}`;
    return address.href;
  }

  /** Makes room for an application. */
  add(record: Omit<HostedRecord, "account">): Hosted {
    const place = hostedPlace(this.place, record.name);
    const account = this.settings.ownAccounts ? this.#freeAccount() : undefined;
    mkdirSync(place.root, { recursive: true });
    const whole = { ...record, ...(account !== undefined && { account }) };
    writeHosted(place, whole);
    const hosted = new Hosted(place, whole, this.addressOf(record.name));
    this.#hosted.set(record.name, hosted);
    return hosted;
  }

  async remove(hosted: Hosted): Promise<void> {
    this.#hosted.delete(hosted.record.name);
    await hosted.remove();
    this.forgetUnused();
  }

  /** The names of the secrets that somebody gave an application, or gives it before it is published. */
  secrets(name: string): string[] {
    const names = Object.keys(readSecrets(hostedPlace(this.place, name))).sort();
    const own = this.find(name)?.record.ownDatabase;
    return own ? names.filter((each) => each !== "DATABASE_URL") : names;
  }

  /** Sets a secret, or takes it away. It counts from the next start on. */
  setSecret(name: string, key: string, value: string | null): void {
    const place = hostedPlace(this.place, name);
    if (key === "DATABASE_URL" && this.find(name)) {
      throw new Failure(
        "usage",
        `${name} has its database already, and its rows would stay there`,
        "a database is given before the application is published for the first time",
      );
    }
    if (!existsSync(place.root)) makeFolder(place.root, 0o700);
    const { [key]: _before, ...others } = readSecrets(place);
    writeSecrets(place, value === null ? others : { ...others, [key]: value });
  }

  status(hosted: Hosted): HostedStatus {
    const { name, title, database, current, versions } = hosted.record;
    const previews = [...this.#hosted.values()].flatMap(({ record, address }) =>
      record.preview?.of === name
        ? [{ name: record.name, address, rows: record.preview.rows, until: record.preview.until }]
        : [],
    );
    return {
      name,
      title,
      address: hosted.address,
      state: hosted.state,
      database,
      ...(current !== undefined && { current }),
      versions,
      backups: hosted.backups(),
      secrets: this.secrets(name),
      previews,
      restarts: hosted.restarts,
    };
  }

  /** Removes previews whose time is over. */
  async endPreviews(now = Date.now()): Promise<void> {
    for (const hosted of [...this.#hosted.values()]) {
      const { preview, name } = hosted.record;
      if (!preview || hosted.busy || Date.parse(preview.until) > now) continue;
      await hosted.alone("the host", () => this.remove(hosted));
      this.log("host", "ended a preview", name);
    }
  }

  /** Counts an upload, while which nothing stored is forgotten. */
  async receiving<Result>(work: () => Promise<Result>): Promise<Result> {
    this.#receiving++;
    try {
      return await work();
    } finally {
      this.#receiving--;
    }
  }

  forgetUnused(): void {
    if (this.#receiving === 0) forgetUnused(this.place);
  }

  /** Notes in the log of the host what somebody did. */
  log(who: string, did: string, application?: string, more: object = {}): void {
    const line = { at: new Date().toISOString(), who, did, application, ...more };
    appendFileSync(this.place.log, `${JSON.stringify(line)}\n`, { mode: 0o600 });
  }

  /** Ends all that runs. */
  async close(): Promise<void> {
    await Promise.all([...this.#hosted.values()].map((hosted) => hosted.end(5000)));
  }

  /** A number that no application has; where two hosts on a machine begin is left to chance. */
  #freeAccount(): number {
    const file = join(this.place.root, "first-account");
    if (!existsSync(file)) {
      const begin = firstAccount + (randomBytes(2).readUInt16BE() % 290) * 100;
      appendFileSync(file, `${begin}\n`, { mode: 0o600 });
    }
    const taken = new Set([...this.#hosted.values()].map(({ record }) => record.account));
    for (let number = Number(readFileSync(file, "utf8")); number <= lastAccount; number++) {
      if (!taken.has(number)) return number;
    }
    throw new Failure("outside", "no number of an account is free");
  }
}
