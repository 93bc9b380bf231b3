// Bundles src/ into dist/. `whole` keeps the names and lines of the source, for whoever develops Levadura.
import { createHash } from "node:crypto";
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { build } from "esbuild";

// Packages that were not written as modules look for these.
const banner = `import { createRequire as _createRequire } from "node:module";
import { dirname as _dirname } from "node:path";
import { fileURLToPath as _fileURLToPath } from "node:url";
const require = _createRequire(import.meta.url);
const __filename = _fileURLToPath(import.meta.url);
const __dirname = _dirname(__filename);`;

/** A checksum of the sources in a folder. */
function checksumOf(folder) {
  const hash = createHash("sha256");
  const files = readdirSync(folder, { recursive: true }).filter((name) => name.endsWith(".ts"));
  for (const name of files.sort())
    hash.update(`${name}\n`).update(readFileSync(join(folder, name)));
  return hash.digest("hex");
}

/** Of a locale of fake data, only the names of people are used: the rest would be read at every start. */
const namesOnly = {
  name: "names-only",
  setup(build) {
    build.onLoad({ filter: /faker\/dist\/locale\/\w+\.js$/ }, async ({ path }) => {
      const { faker } = await import(path);
      const { first_name, last_name } = faker.rawDefinitions.person;
      const person = { first_name, last_name };
      return { contents: `export const faker = ${JSON.stringify({ rawDefinitions: { person } })}` };
    });
  },
};

export async function bundle(root, { whole = false } = {}) {
  const commands = readdirSync(join(root, "src", "cli", "commands"), { recursive: true }).filter(
    (name) => name.endsWith(".ts"),
  );
  await build({
    absWorkingDir: root,
    entryPoints: {
      main: "src/cli/main.ts",
      "copy-data": "src/io/host/copy-data.ts",
      "compiler-process": "src/io/compiler/compiler-process.ts",
      "workbook-worker": "src/io/sheets/workbook-worker.ts",
      "manual-page": "src/cli/help/man.ts",
      ...Object.fromEntries(
        commands.map((name) => [`commands/${name.slice(0, -3)}`, `src/cli/commands/${name}`]),
      ),
    },
    outdir: "dist",
    bundle: true,
    splitting: true,
    platform: "node",
    format: "esm",
    target: "node20",
    // Minified, to read less at every start; source maps lead to the lines of the source.
    minify: !whole,
    sourcemap: true,
    sourcesContent: false,
    // These bring files of their own.
    external: ["@aws-sdk/client-s3", "esbuild", "file-type", "libsql", "sharp", "typescript"],
    // What a project was built with is told by this, whatever the version says while Levadura is developed.
    define: { GENERATOR: JSON.stringify(checksumOf(join(root, "src", "core"))) },
    banner: { js: banner },
    plugins: [namesOnly],
    logLevel: "warning",
  });
}
