import { existsSync, readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join, relative, sep } from "node:path";
import { fileURLToPath } from "node:url";
import * as z from "zod";
import type { GeneratedFile, Versions } from "../core/appgen/application.ts";
import type { DatabaseKind } from "../core/model/model.ts";

const require = createRequire(import.meta.url);

/** The folder of Levadura itself. */
export const packageRoot = findRoot(dirname(fileURLToPath(import.meta.url)));

function findRoot(folder: string): string {
  return existsSync(join(folder, "kit", "app", "application.ts"))
    ? folder
    : findRoot(dirname(folder));
}

const manifest = z
  .object({
    version: z.string(),
    dependencies: z.record(z.string(), z.string()),
    devDependencies: z.record(z.string(), z.string()).optional(),
  })
  .parse(JSON.parse(readFileSync(join(packageRoot, "package.json"), "utf8")));

/** The version of Levadura. */
export const version = manifest.version;

/** The versions of the packages that Levadura itself is built on and tested with. */
export const versions: Versions = { ...manifest.devDependencies, ...manifest.dependencies };

/** The folder in which Levadura's own packages are. */
export const packagesFolder = dirname(dirname(require.resolve("bootstrap/package.json")));

/** The main file of a package. */
export function packageFile(name: string): string {
  return require.resolve(name);
}

/** Parts of the kit that applications don't need: they let the database compute formulas. */
const notCopied: ReadonlySet<string> = new Set(["formula/computing.ts"]);

/** The source of the kit, as files of an application over a kind of database. */
export function kitFiles(kind: DatabaseKind): GeneratedFile[] {
  const root = join(packageRoot, "kit");
  return readdirSync(root, { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile() && !entry.name.includes(".test."))
    .map((entry) => join(entry.parentPath, entry.name))
    .sort()
    .map((path) => ({ path: relative(root, path).split(sep).join("/"), place: path }))
    .filter(({ path }) => !notCopied.has(path))
    .filter(({ path }) => {
      const [, folder = kind] = /^database\/(\w+)\//.exec(path) ?? [];
      return folder === kind || (folder === "servers" && kind !== "sqlite");
    })
    .map(({ path, place }) => {
      const text = readFileSync(place, "utf8");
      const used =
        path === "database/current-dialect.ts"
          ? text.replaceAll('"./sqlite/', `"./${kind}/`)
          : text;
      return { path: `src/kit/${path}`, text: used };
    });
}
