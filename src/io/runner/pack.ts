import {
  copyFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  rmSync,
  statSync,
  writeFileSync,
} from "node:fs";
import { dirname, join, relative, sep } from "node:path";
import { build } from "esbuild";
import * as z from "zod";
import { digestOfFile } from "../digest.ts";
import { readText } from "../project/files.ts";
import type { Project } from "../project/project.ts";
import { assetEntries, assetsOptions, bundleFailure, codeOptions } from "./bundle.ts";
import { addLatePackages, latePackages } from "./late-packages.ts";
import { copyPackage, packagesFor } from "./native-packages.ts";

/** Packages that bring files of their own, such as binaries and fonts; all others are bundled. */
const withFiles = ["libsql", "sharp", "pdfmake"];

/** These, and what is looked for in vain. */
const external = [...withFiles, "pg-native"];

/** Packages that were not written as modules look for these. */
const banner = `import { createRequire as _createRequire } from "node:module";
import { dirname as _dirname } from "node:path";
import { fileURLToPath as _fileURLToPath } from "node:url";
const require = _createRequire(import.meta.url);
const __filename = _fileURLToPath(import.meta.url);
const __dirname = _dirname(__filename);`;

/** A text to be put into a package, or a file to be copied into it. */
export type PackedFile = { path: string; text: string } | { path: string; from: string };

/** A file of a package that was made. */
export interface PackageEntry {
  /** Its path in the folder, with slashes. */
  path: string;
  /** SHA-256. */
  digest: string;
  size: number;
}

/**
 * Makes a folder from which an application runs with Node alone, without installing anything: `dist/main.mjs` and
 * `dist/migrate.mjs`, what browsers get, and the packages that bring files of their own, for a platform. `more` comes beside it.
 * Returns all files that are in it.
 */
export async function packApplication(
  project: Project,
  folder: string,
  platform: string,
  more: readonly PackedFile[],
): Promise<PackageEntry[]> {
  const dist = join(folder, "dist");
  const hasFiles = existsSync(join(project.app, "src", "files.ts"));
  try {
    mkdirSync(folder, { recursive: true });
    for (const part of readdirSync(folder)) {
      if (part !== packagesPart) rmSync(join(folder, part), { recursive: true, force: true });
    }
    const [packages] = await Promise.all([
      copyPackages(project, folder, platform),
      addLatePackages(dist, join(project.run, "late-packages"), { banner, external }),
      build({
        ...codeOptions(project, dist),
        write: true,
        entryPoints: ["src/main.ts", "src/migrate.ts", ...(hasFiles ? ["src/files.ts"] : [])],
        // Not minified: what it says of errors names lines that can be read.
        external,
        banner: { js: banner },
        plugins: [latePackages],
      }),
      build({
        ...assetsOptions(project, dist),
        write: true,
        entryPoints: assetEntries(project),
      }),
    ]);
    for (const file of more) {
      const target = join(folder, file.path);
      mkdirSync(dirname(target), { recursive: true });
      if ("text" in file) writeFileSync(target, file.text);
      else copyFileSync(file.from, target);
    }
    const own = filesIn(folder).filter((path) => !path.startsWith(`${packagesPart}/`));
    return [...(await entriesOf(folder, own)), ...packages];
  } catch (error) {
    throw bundleFailure(error, folder);
  }
}

const packagesPart = "node_modules";

/** All files in a folder, with slashes in their paths, in order. */
function filesIn(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile())
    .map((entry) => relative(folder, join(entry.parentPath, entry.name)).split(sep).join("/"))
    .sort();
}

async function entriesOf(folder: string, paths: readonly string[]): Promise<PackageEntry[]> {
  const entries: PackageEntry[] = [];
  for (const path of paths) {
    const file = join(folder, path);
    entries.push({ path, digest: await digestOfFile(file), size: statSync(file).size });
  }
  return entries;
}

const copiedShape = z.object({
  packages: z.string(),
  files: z.array(z.object({ path: z.string(), digest: z.string(), size: z.number() })),
});

/** Copies the packages with files of their own and what they need, unless they are there in these versions. */
async function copyPackages(
  project: Project,
  folder: string,
  platform: string,
): Promise<PackageEntry[]> {
  const isEmbedded = existsSync(join(project.app, "src", "kit", "database", "sqlite"));
  const wanted = withFiles.filter((name) => name !== "libsql" || isEmbedded);
  const found = await packagesFor(wanted, platform, join(project.run, "binaries"));
  const packages = found
    .map(({ path, version }) => `${path} ${version}`)
    .sort()
    .join(", ");
  // What was copied is remembered beside the folder: reading it all again would take longer than the rest.
  const note = `${folder}.json`;
  try {
    const copied = copiedShape.parse(JSON.parse(readText(note) ?? ""));
    if (copied.packages === packages) return copied.files;
  } catch {
    // It was never copied, or nobody knows what.
  }
  rmSync(note, { force: true });
  rmSync(join(folder, packagesPart), { recursive: true, force: true });
  for (const { path, from } of found) copyPackage(from, join(folder, packagesPart, path));
  const copied = filesIn(join(folder, packagesPart)).map((path) => `${packagesPart}/${path}`);
  const files = await entriesOf(folder, copied);
  writeFileSync(note, JSON.stringify({ packages, files }));
  return files;
}
