#!/usr/bin/env node
import { readFileSync } from "node:fs";

// The version alone needs nothing of what follows.
if (process.argv.length === 3 && ["-v", "--version", "version"].includes(process.argv[2])) {
  const manifest = readFileSync(new URL("../package.json", import.meta.url), "utf8");
  console.log(`levadura/${JSON.parse(manifest).version}`);
} else {
  const { main } = await import("../dist/main.js");
  await main(import.meta.url);
}
