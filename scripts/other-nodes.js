// npm run test:nodes: the main paths on the newer versions of Node that people have. Each comes as a package and is
// kept in .cache/.
import { execFileSync, spawnSync } from "node:child_process";
import { existsSync, mkdirSync } from "node:fs";
import { join } from "node:path";

const root = new URL("..", import.meta.url).pathname;
const name = `node-${process.platform}-${process.arch}`;
const tests = ["commands", "path", "application"];

for (const version of [22, 24]) {
  const folder = join(root, ".cache", `node-${version}`);
  const node = join(folder, "node_modules", name, "bin", "node");
  if (!existsSync(node)) {
    mkdirSync(folder, { recursive: true });
    const options = ["--no-save", "--no-audit", "--no-fund", "--prefix", folder];
    execFileSync("npm", ["install", ...options, `${name}@${version}`], { stdio: "inherit" });
  }
  console.log(execFileSync(node, ["--version"], { encoding: "utf8" }).trim());
  const vitest = join(root, "node_modules", "vitest", "vitest.mjs");
  const files = tests.map((test) => `test/${test}.test.ts`);
  const { status } = spawnSync(node, [vitest, "run", "--project", "quick", ...files], {
    cwd: root,
    stdio: "inherit",
  });
  if (status !== 0) process.exit(status ?? 1);
}
