// npm run dev -- COMMAND: runs the command line from the source as it is now, with its names and lines in stack traces.
// It runs in the folder in which npm was called.
import { spawnSync } from "node:child_process";
import { rmSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { bundle } from "./bundle.js";

const root = dirname(dirname(fileURLToPath(import.meta.url)));
rmSync(join(root, "dist"), { recursive: true, force: true });
rmSync(join(root, "oclif.manifest.json"), { force: true });
// What is tested and shipped is built again.
rmSync(join(root, "node_modules", ".levadura-built"), { force: true });
await bundle(root, { whole: true });
const { status } = spawnSync(
  process.execPath,
  ["--enable-source-maps", join(root, "bin", "levadura.js"), ...process.argv.slice(2)],
  {
    stdio: "inherit",
    cwd: process.env.INIT_CWD ?? process.cwd(),
    env: { LEVADURA_DEBUG: "1", ...process.env },
  },
);
process.exitCode = status ?? 1;
