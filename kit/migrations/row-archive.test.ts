import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gunzipSync } from "node:zlib";
import { afterAll, describe, expect, it } from "vitest";
import { readKept, writeKept } from "./row-archive.ts";
import { inNumber, missingKept, RowsInTheWay, unquoted } from "./script-runner.ts";

const folder = mkdtempSync(join(tmpdir(), "keeping-"));
afterAll(() => rmSync(folder, { recursive: true }));

describe("a file of kept rows", () => {
  it("gives back every value, in lines that people can read", async () => {
    const path = join(folder, "deep", "hive-notes.jsonl.gz");
    const header = { table: '"hive"', columns: ["id", "value"], top: 7 };
    const rows = [
      [1, "plain"],
      [2, 'with "quotes", a\nline end, \u2028 and 🐝'],
      [3, null],
      [4, 12.25],
      [5, 12n],
    ];
    expect(await writeKept(path, header, rows)).toBe(5);
    const kept = await readKept(path);
    expect(kept.header).toEqual(header);
    const found: unknown[][] = [];
    for await (const row of kept.rows) found.push(row);
    expect(found).toEqual([...rows.slice(0, 4), [5, "12"]]);
    const lines = gunzipSync(readFileSync(path)).toString().split("\n");
    expect(lines[1]).toBe('[1,"plain"]');
  });

  it("streams: many rows are written and read one after the other", async () => {
    const path = join(folder, "many.jsonl.gz");
    function* rows() {
      for (let id = 1; id <= 50_000; id++) yield [id, `note ${id}`];
    }
    const header = { table: "hive", columns: ["id", "value"], top: 50_000 };
    expect(await writeKept(path, header, rows())).toBe(50_000);
    let count = 0;
    for await (const [id] of (await readKept(path)).rows) expect(id).toBe(++count);
    expect(count).toBe(50_000);
  });

  it("is missed by its name before anything begins, and found in a project that moved", () => {
    const script = '-- bring back a-b as "k";\nselect 1;\n-- bring back c as "l";\n';
    expect(missingKept(script, null, folder)).toEqual([
      join(folder, "a-b.jsonl.gz"),
      join(folder, "c.jsonl.gz"),
    ]);
    const moved = join(folder, "0002-x");
    expect(missingKept(script, "/elsewhere/0002-x", folder)[0]).toBe(join(moved, "a-b.jsonl.gz"));
    rmSync(moved, { recursive: true, force: true });
    expect(existsSync(moved)).toBe(false);
  });

  it("that isn't there is said", async () => {
    await expect(readKept(join(folder, "nowhere.gz"))).rejects.toThrow(/nowhere\.gz are not there/);
    const broken = join(folder, "broken.gz");
    writeFileSync(broken, "no gzip");
    await expect(readKept(broken)).rejects.toThrow();
  });
});

describe("what is said of rows", () => {
  it.each([
    [1, "rows of hive have no code", "1 row of hive has no code"],
    [2, "rows of hive have no code", "2 rows of hive have no code"],
    [1, "values of hive.notes are deleted", "1 value of hive.notes is deleted"],
    [1200, "rows of hive are deleted", "1,200 rows of hive are deleted"],
    [
      1,
      "rows of hive lead to a town.name that town can't have",
      "1 row of hive leads to a town.name that town can't have",
    ],
  ])("%i %s", (count, sentence, said) => {
    expect(inNumber(count, sentence)).toBe(said);
  });

  it("names the first of them", () => {
    const error = new RowsInTheWay("rows of hive have no code", 7, [
      { id: 1, value: null },
      { id: 2, value: "heavy" },
    ]);
    expect(error.message).toBe('7 rows of hive have no code: row 1, row 2 with "heavy", …');
  });

  it("takes names out of their quotes", () => {
    expect(['"hive"', "`hive`", '"a""b"', "hive"].map(unquoted)).toEqual([
      "hive",
      "hive",
      'a"b',
      "hive",
    ]);
  });
});
