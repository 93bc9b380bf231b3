// Bundles src/ into dist/, and writes down what the command line offers: both so that it starts fast.
import { rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { Config } from "@oclif/core";
import { bundle } from "./bundle.js";

const root = dirname(dirname(fileURLToPath(import.meta.url)));
rmSync(join(root, "dist"), { recursive: true, force: true });
rmSync(join(root, "oclif.manifest.json"), { force: true });
await bundle(root);

const config = await Config.load({ root, userPlugins: false, devPlugins: false });
const { manifest } = config.plugins.get("levadura");
writeFileSync(join(root, "oclif.manifest.json"), JSON.stringify(manifest));
const { manualPage } = await import("../dist/manual-page.js");
writeFileSync(join(root, "dist", "levadura.1"), manualPage(config));
