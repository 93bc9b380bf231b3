// Every quick check that must pass before a change lands.
import { spawnSync } from "node:child_process";

const steps = [
  ["types", "tsc", ["--noEmit"]],
  ["lint and format", "biome", ["ci", "--error-on-warnings", "."]],
  ["tests", "vitest", ["run", "--project", "quick"]],
];
for (const [name, command, args] of steps) {
  console.log(`\n# ${name}`);
  const { status } = spawnSync(`node_modules/.bin/${command}`, args, { stdio: "inherit" });
  if (status !== 0) {
    console.error(`\nFailed: ${name}`);
    process.exit(1);
  }
}
