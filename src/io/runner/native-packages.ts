import { execFile } from "node:child_process";
import {
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
} from "node:fs";
import { dirname, join, relative } from "node:path";
import { extract } from "tar";
import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { packagesFolder } from "../package.ts";

/** An installed package that belongs into another place: its path there, its version, and the folder in which it is here. */
export interface FoundPackage {
  path: string;
  version: string;
  from: string;
}

/**
 * Packages and all that they need to run on a platform. Those that have binaries for it, and aren't installed here, are fetched by
 * npm into `cache`, and stay there.
 */
export async function packagesFor(
  names: readonly string[],
  platform: string,
  cache: string,
): Promise<FoundPackage[]> {
  const found = new Map<string, FoundPackage>();
  const absent = new Map<string, string>();
  const visit = (name: string, from: string): void => {
    const place = placeOf(name, from);
    if (place === undefined) return;
    const path = relative(packagesFolder, place);
    if (found.has(path)) return;
    const manifest = manifestOf(place);
    found.set(path, { path, version: manifest.version, from: place });
    for (const each of Object.keys(manifest.dependencies)) visit(each, place);
    for (const [each, version] of Object.entries(manifest.optionalDependencies)) {
      if (!isFor(each, platform)) continue;
      if (placeOf(each, place) === undefined) absent.set(each, version);
      else visit(each, place);
    }
  };
  for (const name of names) visit(name, packagesFolder);
  for (const [name, version] of absent) {
    const from = await fetched(name, version, platform, cache);
    found.set(name, { path: name, version, from });
  }
  return [...found.values()];
}

/** Copies what of a package is read when it runs; what it needs itself is copied by itself. */
export function copyPackage(from: string, to: string): void {
  for (const entry of readdirSync(from, { withFileTypes: true })) {
    if (entry.name === "node_modules") continue;
    const [source, target] = [join(from, entry.name), join(to, entry.name)];
    if (entry.isDirectory()) copyPackage(source, target);
    else if (entry.isFile() && !unread.test(entry.name)) {
      mkdirSync(to, { recursive: true });
      copyFileSync(source, target);
    }
  }
}

/** Files that nothing reads when a package runs. */
const unread = /\.(map|ts|mts|cts|md|markdown|html)$/i;

const manifestShape = z.object({
  version: z.string(),
  dependencies: z.record(z.string(), z.string()).default({}),
  optionalDependencies: z.record(z.string(), z.string()).default({}),
});

function manifestOf(folder: string): z.infer<typeof manifestShape> {
  return manifestShape.parse(JSON.parse(readFileSync(join(folder, "package.json"), "utf8")));
}

/** The folder of a package, seen from another one; undefined where it isn't installed. */
function placeOf(name: string, from: string): string | undefined {
  for (let folder = from; folder.startsWith(packagesFolder); folder = dirname(folder)) {
    const parent = folder === packagesFolder ? folder : join(folder, "node_modules");
    if (existsSync(join(parent, name, "package.json"))) return join(parent, name);
  }
  return undefined;
}

/** Whether an optional package is for a platform, by how its name ends: `linux-x64-gnu`, `linuxmusl-x64`, `darwin-arm64`. */
function isFor(name: string, platform: string): boolean {
  const [system, processor, library] = platform.split("-");
  const endings =
    library === "musl"
      ? [`${system}musl-${processor}`, `${system}-${processor}-musl`]
      : [`${system}-${processor}`, `${system}-${processor}-gnu`, `${system}-${processor}-msvc`];
  return endings.some((ending) => name.endsWith(`/${ending}`) || name.endsWith(`-${ending}`));
}

/** A package that isn't installed here, in a folder of the cache. */
async function fetched(
  name: string,
  version: string,
  platform: string,
  cache: string,
): Promise<string> {
  const folder = join(cache, `${name.replaceAll("/", "+")}@${version}`);
  if (existsSync(folder)) return folder;
  const unpacked = `${folder}.new`;
  rmSync(unpacked, { recursive: true, force: true });
  mkdirSync(unpacked, { recursive: true });
  const asked = ["pack", `${name}@${version}`, "--pack-destination", unpacked, "--silent"];
  try {
    const file = await npm(asked);
    await extract({ file: join(unpacked, file), cwd: unpacked, strip: 1 });
    rmSync(join(unpacked, file));
    renameSync(unpacked, folder);
    return folder;
  } catch (error) {
    rmSync(unpacked, { recursive: true, force: true });
    throw new Failure(
      "outside",
      `${name} can't be fetched, which the application needs on ${platform}: ${(error as Error).message}`,
      "try it again with a connection to the registry of npm, or from a machine of that kind",
    );
  }
}

/** Runs npm, and gives the last line that it printed. */
function npm(args: readonly string[]): Promise<string> {
  return new Promise((resolve, reject) => {
    execFile("npm", [...args], { timeout: 120_000 }, (error, printed, complained) => {
      const line = printed.trim().split("\n").at(-1) ?? "";
      if (!error && line !== "") resolve(line);
      else reject(new Error(complained.trim().split("\n")[0] || error?.message || "no answer"));
    });
  });
}
