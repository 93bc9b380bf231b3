#!/usr/bin/env node
import { readFileSync } from "node:fs";
import * as nodeModule from "node:module";
import { join } from "node:path";

// The version alone needs nothing of what follows.
if (process.argv.length === 3 && ["-v", "--version", "version"].includes(process.argv[2])) {
  const manifest = readFileSync(new URL("../package.json", import.meta.url), "utf8");
  console.log(`levadura/${JSON.parse(manifest).version}`);
} else {
  // Newer Nodes keep what they compiled: in the user's own folder, where nobody else can put anything.
  const { HOME, XDG_CACHE_HOME = HOME && join(HOME, ".cache") } = process.env;
  if (XDG_CACHE_HOME) nodeModule.enableCompileCache?.(join(XDG_CACHE_HOME, "levadura"));
  // Read by what colours the output, before it is loaded.
  if (process.argv.includes("--no-color")) process.env.FORCE_COLOR = "0";
  if (process.env.LEVADURA_DEBUG) process.setSourceMapsEnabled(true);
  const { main } = await import("../dist/main.js");
  await main(import.meta.url);
}
