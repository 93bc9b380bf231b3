// Installs and builds if something changed: the first step of the commands in package.json.
import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const root = dirname(dirname(fileURLToPath(import.meta.url)));
if (Number(process.versions.node.split(".")[0]) < 20) {
  console.error(`Levadura needs Node 20 or newer; this is ${process.version}.`);
  process.exit(1);
}

/** Does some work, unless the files that it depends on are as they were when it was last done. */
function unlessFresh(name, result, files, work) {
  const state = createHash("sha256");
  for (const file of files) state.update(file).update(readFileSync(join(root, file)));
  const stamp = join(root, "node_modules", `.levadura-${name}`);
  const digest = state.digest("hex");
  const known = existsSync(stamp) ? readFileSync(stamp, "utf8") : "";
  if (existsSync(join(root, result)) && known === digest) return;
  work();
  mkdirSync(dirname(stamp), { recursive: true });
  writeFileSync(stamp, digest);
}

function filesBelow(folder) {
  return readdirSync(join(root, folder), { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name).slice(root.length + 1))
    .sort();
}

unlessFresh("installed", "node_modules/hono", ["package-lock.json"], () => {
  console.error("Installing packages…");
  execFileSync("npm", ["ci", "--no-audit", "--no-fund"], { cwd: root, stdio: ["ignore", 2, 2] });
});

const sources = [
  ...filesBelow("src"),
  ...filesBelow("kit/database"),
  ...filesBelow("kit/formula"),
  ...filesBelow("kit/migrations"),
  "tsconfig.json",
  "package.json",
];
unlessFresh("built", "oclif.manifest.json", sources, () => {
  console.error("Building…");
  execFileSync(process.execPath, [join(root, "scripts", "build.js")], {
    cwd: root,
    stdio: ["ignore", 2, 2],
  });
});
