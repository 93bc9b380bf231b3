// Compiles src/ into dist/, and writes down what the command line offers, so that it starts fast.
import { execFileSync } from "node:child_process";
import { rmSync, writeFileSync } from "node:fs";
import { dirname } from "node:path";
import { fileURLToPath } from "node:url";

const root = dirname(dirname(fileURLToPath(import.meta.url)));
rmSync(`${root}/dist`, { recursive: true, force: true });
rmSync(`${root}/oclif.manifest.json`, { force: true });
execFileSync(`${root}/node_modules/.bin/tsc`, ["-p", "tsconfig.build.json"], {
  cwd: root,
  stdio: "inherit",
});
const { Config } = await import("@oclif/core");
const config = await Config.load({ root, userPlugins: false, devPlugins: false });
const plugin = config.plugins.get("levadura");
writeFileSync(`${root}/oclif.manifest.json`, JSON.stringify(plugin.manifest));
