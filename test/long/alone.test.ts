import { execFileSync, spawn } from "node:child_process";
import { cpSync } from "node:fs";
import { join } from "node:path";
import { expect, it } from "vitest";
import { rowsOf } from "../support/database.ts";
import { demoModel } from "../support/demo.ts";
import { levadura, projectWith, temporaryFolder } from "../support/program.ts";
import { textOf, Visitor } from "../support/visitor.ts";

it("the application installs, builds, tests and starts alone, away from Levadura", async () => {
  const project = projectWith(demoModel({ open: true }));
  for (const command of ["prepare", "build"])
    expect((await levadura([command], project)).status).toBe(0);
  const place = temporaryFolder();
  const app = join(place, "app");
  cpSync(join(project, "app"), app, { recursive: true });
  const env = { ...process.env, DATABASE_URL: "", PORT: "4907", NO_COLOR: "1" };
  const npm = (...args: string[]) =>
    execFileSync("npm", args, {
      cwd: app,
      env,
      encoding: "utf8",
      stdio: ["ignore", "pipe", "pipe"],
    });
  npm("install", "--no-audit", "--no-fund");
  npm("run", "build");
  npm("run", "lint");
  expect(npm("test")).toMatch(/Tests\s+2\d passed/);
  const child = spawn("npm", ["start"], { cwd: app, env, detached: true });
  try {
    const open = async () => (await fetch("http://127.0.0.1:4907/").catch(() => undefined))?.status;
    await expect.poll(open, { timeout: 20_000 }).toBe(200);
    const visitor = new Visitor("http://127.0.0.1:4907");
    const saved = await visitor.post("/apiaries/new", { name: "Far Field" });
    expect(textOf(saved.html)).toContain("Apiary saved: Far Field");
    expect(saved.html).not.toContain("data-reload");
    const style = await visitor.get("/-/assets/app.css");
    expect([style.status, style.html.length > 100_000]).toEqual([200, true]);
    expect(rowsOf(join(place, "records.db"), "select name from apiary")).toEqual([
      { name: "Far Field" },
    ]);
    expect(rowsOf(join(place, "records.db"), "select name from levadura_ledger")).toEqual([
      { name: "0001-begin" },
    ]);
  } finally {
    if (child.pid) process.kill(-child.pid, "SIGTERM");
  }
});
