import { spawnSync } from "node:child_process";
import { symlinkSync } from "node:fs";
import { join } from "node:path";
import { expect } from "vitest";
import { levadura, projectWith, repository } from "./program.ts";

/** A project with a model, prepared and built, whose application finds its packages. */
export async function built(model: string, keep = false): Promise<string> {
  const folder = projectWith(model, keep);
  for (const command of ["prepare", "build"]) {
    expect(await levadura([command], folder)).toMatchObject({ status: 0, err: "" });
  }
  symlinkSync(join(repository, "node_modules"), join(folder, "app/node_modules"));
  return folder;
}

/** Holds an application against the compiler, the formatter, the linter and its own tests. */
export function expectSound(app: string, env: Record<string, string> = {}): void {
  for (const [command, ...args] of [
    ["tsc", "-p", "."],
    ["biome", "ci", "--error-on-warnings", "."],
    ["vitest", "run"],
  ] as const) {
    expect(run(command, args, app, env)).toEqual({ status: 0, said: "" });
  }
}

function run(command: string, args: readonly string[], cwd: string, more: Record<string, string>) {
  const { status, stdout, stderr } = spawnSync(
    join(repository, "node_modules/.bin", command),
    args,
    { cwd, encoding: "utf8", env: { ...process.env, NO_COLOR: "1", ...more } },
  );
  return { status, said: status === 0 ? "" : stdout + stderr };
}
