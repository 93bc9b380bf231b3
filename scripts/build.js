// Bundles src/ into dist/, and writes down what the command line offers: both so that it starts fast.
import { readdirSync, rmSync, writeFileSync } from "node:fs";
import { basename, dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { Config } from "@oclif/core";
import { build } from "esbuild";

const root = dirname(dirname(fileURLToPath(import.meta.url)));
rmSync(join(root, "dist"), { recursive: true, force: true });
rmSync(join(root, "oclif.manifest.json"), { force: true });

// Packages that were not written as modules look for these.
const banner = `import { createRequire as _createRequire } from "node:module";
import { dirname as _dirname } from "node:path";
import { fileURLToPath as _fileURLToPath } from "node:url";
const require = _createRequire(import.meta.url);
const __filename = _fileURLToPath(import.meta.url);
const __dirname = _dirname(__filename);`;

const commands = readdirSync(join(root, "src", "cli", "commands"));
await build({
  absWorkingDir: root,
  entryPoints: {
    main: "src/cli/main.ts",
    "workbook-worker": "src/io/sheets/workbook-worker.ts",
    "manual-page": "src/cli/help/man.ts",
    ...Object.fromEntries(
      commands.map((name) => [`commands/${basename(name, ".ts")}`, `src/cli/commands/${name}`]),
    ),
  },
  outdir: "dist",
  bundle: true,
  splitting: true,
  platform: "node",
  format: "esm",
  target: "node20",
  // Less to read at every start; errors still name the lines of the source.
  minify: true,
  keepNames: true,
  sourcemap: true,
  sourcesContent: false,
  // These bring files of their own.
  external: ["esbuild", "libsql"],
  banner: { js: banner },
  logLevel: "warning",
});

const config = await Config.load({ root, userPlugins: false, devPlugins: false });
const { manifest } = config.plugins.get("levadura");
writeFileSync(join(root, "oclif.manifest.json"), JSON.stringify(manifest));
const { manualPage } = await import("../dist/manual-page.js");
writeFileSync(join(root, "dist", "levadura.1"), manualPage(config));
