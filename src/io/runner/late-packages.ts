import { cpSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { build, type Plugin } from "esbuild";
import { packageModule, packagesFolder, version } from "../package.ts";
import { readText } from "../project/files.ts";

/**
 * Packages that few requests need, and which the first of these loads. Where an application is packed, they are bundled apart from it,
 * as they change only with Levadura.
 */
const late: readonly string[] = [
  "@aws-sdk/client-s3",
  "@simplewebauthn/server",
  "busboy",
  "exceljs",
  "file-type",
  "jose",
  "nodemailer",
  "openid-client",
  "otpauth",
  "qrcode",
  "yauzl",
];

/** What matches them, and nothing else: whatever else is imported needn't be asked about. */
export const lateNames = new RegExp(`^(${late.join("|")})$`);

/** Leads imports of these packages to their bundles, beside those of the application. */
export const latePackages: Plugin = {
  name: "late packages",
  setup(build) {
    build.onResolve({ filter: lateNames }, ({ path }) => ({
      path: `./${folderName}/${fileName(path)}`,
      external: true,
    }));
  },
};

/** Puts the bundles of these packages beside those of an application; they are made once, and kept in `cache`. */
export async function addLatePackages(
  dist: string,
  cache: string,
  options: { banner: string; external: readonly string[] },
): Promise<void> {
  const key = `${version} ${late.map((name) => `${name}@${versionOf(name)}`).join(" ")}`;
  const note = `${cache}.txt`;
  if (readText(note) !== key || !existsSync(cache)) {
    rmSync(note, { force: true });
    rmSync(cache, { recursive: true, force: true });
    await bundle(cache, options);
    writeFileSync(note, key);
  }
  mkdirSync(dist, { recursive: true });
  cpSync(cache, join(dist, folderName), { recursive: true });
}

const folderName = "packages";

function fileName(name: string): string {
  return `${name.replaceAll("/", "-").replace("@", "")}.mjs`;
}

function versionOf(name: string): string {
  const text = readFileSync(join(packagesFolder, name, "package.json"), "utf8");
  return (JSON.parse(text) as { version: string }).version;
}

/** Bundles each package as a module with the names that Node itself finds in it. */
async function bundle(
  cache: string,
  { banner, external }: { banner: string; external: readonly string[] },
): Promise<void> {
  const exported = new Map<string, string>();
  for (const name of late) {
    const names = Object.keys((await import(packageModule(name))) as object);
    const known = names.filter((each) => /^[\w$]+$/.test(each) && each !== "module.exports");
    exported.set(name, `export { ${known.join(", ")} } from ${JSON.stringify(name)};`);
  }
  await build({
    bundle: true,
    splitting: true,
    platform: "node",
    format: "esm",
    target: "node20",
    outdir: cache,
    nodePaths: [packagesFolder],
    outExtension: { ".js": ".mjs" },
    logLevel: "silent",
    external: [...external],
    banner: { js: banner },
    entryPoints: late.map((name) => ({ in: `late:${name}`, out: fileName(name).slice(0, -4) })),
    plugins: [
      {
        name: "names of late packages",
        setup(build) {
          build.onResolve({ filter: /^late:/ }, ({ path }) => ({ path, namespace: "late" }));
          build.onLoad({ filter: /.*/, namespace: "late" }, ({ path }) => ({
            contents: exported.get(path.slice("late:".length)) ?? "",
            resolveDir: packagesFolder,
          }));
        },
      },
    ],
  });
}
