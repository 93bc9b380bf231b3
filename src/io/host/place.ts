import { chmodSync, existsSync, mkdirSync, readdirSync, renameSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { Failure } from "../../core/failure.ts";
import { fileFailure, readText } from "../project/files.ts";
import { type HostedRecord, recordShape } from "./published.ts";

/** The folder of a host, and where things are in it. */
export interface HostPlace {
  root: string;
  /** Public keys of those who may publish, in the form of OpenSSH's allowed signers. */
  keys: string;
  /** What was done, a line of JSON each. */
  log: string;
  /** Files of all packages, by their digest. */
  store: string;
  /** What is being received. */
  incoming: string;
  applications: string;
}

/** The folder of one application on a host, and where things are in it. */
export interface HostedPlace {
  root: string;
  record: string;
  /** Values that only the application knows; readable by the host alone. */
  secrets: string;
  versions: string;
  /** The database, files and kept rows: what the application writes. */
  data: string;
  backups: string;
  log: string;
}

/** The folder of a host, which is made where it isn't there. */
export function openHostPlace(root: string): HostPlace {
  const place: HostPlace = {
    root,
    keys: join(root, "keys"),
    log: join(root, "host.log"),
    store: join(root, "store"),
    incoming: join(root, "incoming"),
    applications: join(root, "applications"),
  };
  try {
    // Accounts of applications pass through these folders, but can't list them.
    for (const folder of [root, place.applications]) makeFolder(folder, 0o711);
    for (const folder of [place.store, place.incoming]) makeFolder(folder, 0o700);
    if (!existsSync(place.keys)) writeFileSync(place.keys, "", { mode: 0o600 });
  } catch (error) {
    throw fileFailure("write", root, error);
  }
  return place;
}

/** Where an application is. */
export function hostedPlace({ applications }: HostPlace, name: string): HostedPlace {
  const root = join(applications, name);
  return {
    root,
    record: join(root, "application.json"),
    secrets: join(root, "secrets.json"),
    versions: join(root, "versions"),
    data: join(root, "data"),
    backups: join(root, "backups"),
    log: join(root, "log"),
  };
}

/** The folder of a version of an application. */
export function versionFolder(place: HostedPlace, number: number): string {
  return join(place.versions, String(number).padStart(4, "0"));
}

/** A folder with these rights, whatever the account's mask is. */
export function makeFolder(path: string, mode: number): void {
  mkdirSync(path, { recursive: true });
  chmodSync(path, mode);
}

/** The names of the applications on a host. */
export function applicationNames({ applications }: HostPlace): string[] {
  return readdirSync(applications, { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map(({ name }) => name)
    .sort();
}

/** What is remembered of an application; undefined where nothing is. */
export function readHosted(place: HostedPlace): HostedRecord | undefined {
  const text = readText(place.record);
  if (text === undefined) return undefined;
  try {
    return recordShape.parse(JSON.parse(text));
  } catch {
    throw new Failure("outside", `${place.record} can't be read`, "put it back from a backup");
  }
}

/** Remembers an application: all of it, or what was there before. */
export function writeHosted(place: HostedPlace, record: HostedRecord): void {
  writeWhole(place.record, `${JSON.stringify(record, null, 2)}\n`);
}

/** The secrets of an application. */
export function readSecrets(place: HostedPlace): Record<string, string> {
  return JSON.parse(readText(place.secrets) ?? "{}") as Record<string, string>;
}

export function writeSecrets(place: HostedPlace, secrets: Readonly<Record<string, string>>): void {
  writeWhole(place.secrets, `${JSON.stringify(secrets, null, 2)}\n`);
}

function writeWhole(path: string, text: string): void {
  try {
    writeFileSync(`${path}.new`, text, { mode: 0o600, flush: true });
    renameSync(`${path}.new`, path);
  } catch (error) {
    throw fileFailure("write", path, error);
  }
}
