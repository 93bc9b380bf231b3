import { spawn } from "node:child_process";
import { existsSync, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, it } from "vitest";
import { rowsOf } from "../support/database.ts";
import { demoModel } from "../support/demo.ts";
import { levadura, projectWith, repository, running } from "../support/program.ts";

it("rise that is killed at any moment is whole again at the next one", async () => {
  const model = demoModel({ open: true });
  for (let round = 0; round < 8; round++) {
    const folder = projectWith(model);
    for (let kill = 0; kill < 4; kill++) {
      const child = spawn(process.execPath, [join(repository, "bin/levadura.js"), "rise"], {
        cwd: folder,
        stdio: "ignore",
        env: { ...process.env, DATABASE_URL: "" },
      });
      await new Promise((resolve) =>
        setTimeout(resolve, 150 + (((round * 4 + kill) * 397) % 1900)),
      );
      child.kill("SIGKILL");
      await new Promise((resolve) => child.once("exit", resolve));
      if (kill === 2)
        writeFileSync(
          join(folder, "model.yaml"),
          model.replace(
            "      opened: date ..today\n",
            "      opened: date ..today\n      district: text\n",
          ),
        );
    }
    const rise = await running(["rise"], folder);
    expect((await fetch(`${rise.address}/apiaries`)).status).toBe(200);
    expect(await rise.stop()).toBe(0);
    const file = join(folder, "records.db");
    expect(rowsOf(file, "pragma foreign_key_check")).toEqual([]);
    expect(rowsOf(file, "pragma integrity_check")).toEqual([{ integrity_check: "ok" }]);
    expect(rowsOf(file, "select count(*) as n from hive")).toEqual([{ n: 36 }]);
    expect((await levadura(["prepare"], folder)).out).toContain("Nothing to prepare");
    expect((await levadura(["history", "--json"], folder)).out).not.toMatch(
      /pending|edited|missing/,
    );
    const left = readdirSync(folder, { recursive: true, encoding: "utf8" }).filter((name) =>
      name.endsWith(".levadura-new"),
    );
    for (const name of left)
      expect(existsSync(join(folder, name.replace(".levadura-new", ""))), name).toBe(true);
  }
});
