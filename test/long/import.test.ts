import { spawn } from "node:child_process";
import {
  closeSync,
  cpSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
  writeSync,
} from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { rowsOf } from "../support/database.ts";
import { levadura, repository, temporaryFolder } from "../support/program.ts";

const states = ["active", "weak", "queenless", "retired"];

/** Writes hives as CSV, each in one of 200 apiaries; every hundred-thousandth has a weight that is none. */
function writeHives(path: string, count: number): void {
  const handle = openSync(path, "w");
  writeSync(handle, "code,apiary,installed,weight,status,email,notes,temperature,seen,price\n");
  let text = "";
  for (let row = 0; row < count; row++) {
    const weight = row % 100_000 === 77 ? "heavy" : (row % 600) / 10;
    text += `H-${row},Apiary ${row % 200},${2015 + (row % 10)}-0${1 + (row % 9)}-1${row % 10},${weight},${states[row % 4]},keeper${row % 2000}@example.org,"calm, ${row % 9973}",${(row % 400) / 10},${row % 3 ? "yes" : "no"},${(row % 900) / 100}\n`;
    if (text.length > 1 << 20) {
      writeSync(handle, text);
      text = "";
    }
  }
  writeSync(handle, text);
  closeSync(handle);
}

const apiaries = `name\n${Array.from({ length: 200 }, (_, at) => `Apiary ${at}\n`).join("")}`;

/** Has the program say at its end how much memory it took at most, in kilobytes. */
const weighed = {
  NODE_OPTIONS: `--import="data:text/javascript,process.on('exit',()=>process.stderr.write('most memory '+process.resourceUsage().maxRSS))"`,
};

describe("a million rows", () => {
  it("are imported and loaded, each kept or set aside, in less than 800 MB", async () => {
    const folder = temporaryFolder();
    const million = 1_000_000;
    writeHives(join(folder, "hives.csv"), million);
    writeFileSync(join(folder, "apiaries.csv"), apiaries);
    const run = await levadura(["import", "hives.csv", "apiaries.csv", "--yes", "--json"], folder, {
      env: weighed,
    });
    expect(run.status, run.err).toBe(0);
    const [hives] = JSON.parse(run.out).sheets;
    expect(hives).toMatchObject({ rows: million, kept: million, setAside: 0, cellsSetAside: 10 });
    expect(Number(/most memory (\d+)/.exec(run.err)?.[1]) / 1024).toBeLessThan(800);
    for (const command of ["prepare", "migrate"])
      expect((await levadura([command], folder)).status).toBe(0);
    const loaded = await levadura(["import", "--yes"], folder, { env: weighed });
    expect(loaded.status, loaded.err).toBe(0);
    expect(Number(/most memory (\d+)/.exec(loaded.err)?.[1]) / 1024).toBeLessThan(800);
    const counted =
      "select count(*) as hives, count(weight) as weights, count(distinct apiary_id) as apiaries, sum(seen) as seen from hive";
    expect(rowsOf(join(folder, "records.db"), counted)).toEqual([
      { hives: million, weights: million - 10, apiaries: 200, seen: 666_666 },
    ]);
  });
});

/** Starts the program and kills it after some milliseconds, at the latest when it is done. */
function killedAfter(milliseconds: number, args: string[], cwd: string): Promise<void> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [join(repository, "bin", "levadura.js"), ...args], {
      cwd,
      stdio: "ignore",
    });
    const timer = setTimeout(() => child.kill("SIGKILL"), milliseconds);
    child.once("exit", () => {
      clearTimeout(timer);
      resolve();
    });
  });
}

describe("an import that is killed", () => {
  const rows = 20_000;

  it("leaves files that are whole, and a database with all rows or none", async () => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, "apiaries.csv"), apiaries);
    writeHives(join(folder, "hives.csv"), 4000);
    const files = ["hives.csv", "apiaries.csv"];
    await levadura(["import", ...files, "--yes"], folder);
    for (const command of ["prepare", "migrate"]) await levadura([command], folder);
    rmSync(join(folder, "data"), { recursive: true });
    writeHives(join(folder, "hives.csv"), rows);
    // How long one takes is measured on a copy.
    const copy = temporaryFolder();
    cpSync(folder, copy, { recursive: true });
    const begun = Date.now();
    await levadura(["import", ...files, "--yes"], copy);
    const whole = Date.now() - begun;
    const seen = new Set<number>();
    for (let turn = 0; turn < 16; turn++) {
      await killedAfter(whole * (0.2 + (0.9 * turn) / 16), ["import", ...files, "--yes"], folder);
      const stored =
        rowsOf<{ count: number }>(
          join(folder, "records.db"),
          "select count(*) as count from hive",
        )[0]?.count ?? -1;
      expect([0, rows]).toContain(stored);
      seen.add(stored);
      const names = readdirSync(folder).includes("data") ? readdirSync(join(folder, "data")) : [];
      if (names.includes("Hive.csv")) {
        expect(
          readFileSync(join(folder, "data", "Hive.csv"), "utf8")
            .trimEnd()
            .split("\n").length,
        ).toBe(rows + 1);
      }
      if (stored === rows) break;
    }
    const last = await levadura(["import", ...files, "--yes"], folder);
    expect(last.status, last.err).toBe(0);
    expect(rowsOf(join(folder, "records.db"), "select count(*) as count from hive")).toEqual([
      { count: rows },
    ]);
    expect(seen.has(0)).toBe(true);
  });
});
