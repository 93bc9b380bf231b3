import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, it } from "vitest";
import { openSqlite } from "./engine.ts";

// The driver keeps a file open after it was closed, with locks that the system takes away as soon as
// anything else in the process closes the file. Others then throw away what was written last.
it("loses nothing while other processes come and go", async () => {
  const folder = mkdtempSync(join(tmpdir(), "engine-"));
  const file = join(folder, "records.db");
  const other = `const Driver = require("libsql");
    const driver = new Driver(process.argv[1]);
    driver.pragma("journal_mode = WAL");
    console.log(driver.prepare("select count(*) as count from hive").all()[0].count);
    driver.close();`;
  for (let round = 0; round < 6; round++) {
    const engine = openSqlite(file);
    await engine.migrations.run("create table if not exists hive (id integer primary key)");
    await engine.filler.fill({ table: "hive", columns: ["id"] }, [{ id: round + 1 }]);
    await engine.close();
    expect(execFileSync(process.execPath, ["-e", other, file]).toString().trim()).toBe(
      String(round + 1),
    );
  }
  rmSync(folder, { recursive: true });
});
