import {
  chmodSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { createServer } from "node:net";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { levadura, projectWith, temporaryFolder } from "../support/program.ts";

const right = "levadura: 1\nentities:\n  Hive:\n    fields:\n      code: text, required\n";

/** What is in a folder, names and contents. */
function contents(folder: string): Record<string, string> {
  return Object.fromEntries(
    readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile())
      .map((entry) => join(entry.parentPath, entry.name))
      .map((path) => [path, readFileSync(path, "latin1")]),
  );
}

describe("a model that is wrong", () => {
  it.each([
    [
      "an unknown type",
      right.replace("text", "txet"),
      /model\.yaml:5:13: error: there is no type `txet`[\s\S]*5 \| {7}code: txet, required\n {4}\| {13}\^{4} did you mean `text`/,
    ],
    [
      "an unknown reference",
      right.replace("text", "one Hvie"),
      /there is no entity `Hvie`[\s\S]*did you mean `Hive`/,
    ],
    [
      "a key twice",
      `${right}      code: integer\n`,
      /:6:7: error: the field `code` appears here twice/,
    ],
    ["a tab", right.replace("      code", "\tcode"), /indented with a tab/],
    ["nothing in it", "", /the file is empty/],
    ["five million characters", `${right}#${"x".repeat(5_000_000)}`, /5\.0 million characters/],
    ["another kind of file", "\u0000\u0001\u0002PK", /not a text file/],
    [
      "a circle of required references",
      `${right}      next: one Hive, required\n`,
      /each requires the next/,
    ],
    [
      "an automatic field",
      `${right}      version: integer\n`,
      /one that every entity has by itself/,
    ],
    [
      "a default beyond its range",
      right.replace("text", "integer 1..5, default 9"),
      /the default `9` lies outside the range 1\.\.5/,
    ],
    [
      "a list of a field that is not there",
      `${right}    columns: [kode]\n`,
      /has no field `kode`[\s\S]*did you mean `code`/,
    ],
  ])("%s: is pointed at, and nothing is made of it", async (_what, model, message) => {
    const folder = projectWith(model);
    const before = contents(folder);
    for (const command of ["check", "prepare", "build", "rise"]) {
      const { status, out, err } = await levadura([command], folder);
      expect([command, status, out]).toEqual([command, 1, ""]);
      expect(err).toMatch(message);
      expect(err).not.toMatch(/^\s+at /m);
    }
    expect(contents(folder)).toEqual(before);
  });

  it("is told to scripts as data", async () => {
    const { status, out } = await levadura(
      ["check", "--json"],
      projectWith(right.replace("text", "txet")),
    );
    expect(status).toBe(1);
    expect(JSON.parse(out)).toMatchObject({
      error: "model.yaml has 1 error",
      diagnostics: [{ where: "model.yaml:5:13", severity: "error" }],
    });
  });
});

describe("a place that is wrong", () => {
  it("for begin: a folder with something in it, a file", async () => {
    const folder = projectWith(right);
    const filled = await levadura(["begin", "."], folder);
    expect([filled.status, filled.err]).toEqual([
      2,
      expect.stringContaining("is not empty: it has model.yaml"),
    ]);
    expect(readFileSync(join(folder, "model.yaml"), "utf8")).toBe(right);
    expect((await levadura(["begin", "model.yaml"], folder)).err).toContain("is a file");
  });

  it("for a project: no folder, no model", async () => {
    const folder = temporaryFolder();
    expect(await levadura(["check", "-p", "nowhere"], folder)).toMatchObject({
      status: 2,
      err: expect.stringContaining("there is no folder"),
    });
    expect(await levadura(["check"], folder)).toMatchObject({
      status: 2,
      err: expect.stringContaining("there is no model.yaml"),
    });
  });

  it("for a database: another kind of file, a folder", async () => {
    const folder = projectWith(right);
    await levadura(["prepare"], folder);
    writeFileSync(join(folder, "records.db"), "these are my notes, not a database");
    expect(await levadura(["migrate"], folder)).toMatchObject({
      status: 3,
      err: expect.stringContaining("is not a SQLite database"),
    });
    expect(readFileSync(join(folder, "records.db"), "utf8")).toContain("my notes");
    rmSync(join(folder, "records.db"));
    mkdirSync(join(folder, "records.db"));
    expect((await levadura(["migrate"], folder)).status).toBe(3);
    const elsewhere = { env: { DATABASE_URL: "sqlite:/nowhere/at/all.db" } };
    expect(await levadura(["migrate"], folder, elsewhere)).toMatchObject({
      status: 3,
      err: expect.stringContaining("there is no folder"),
    });
    expect((await levadura(["migrate"], folder, { env: { DATABASE_URL: "ftp://x" } })).status).toBe(
      2,
    );
  });

  it("for writing: a path with a file in it, and where the account may not", async () => {
    const folder = projectWith(right);
    writeFileSync(join(folder, "migrations"), "a file");
    expect(await levadura(["prepare"], folder)).toMatchObject({
      status: 3,
      err: expect.stringContaining("migrations"),
    });
    const closed = projectWith(right);
    chmodSync(closed, 0o555);
    // The superuser may write anywhere, so that only others meet the refusal.
    if (process.getuid?.() !== 0) expect((await levadura(["prepare"], closed)).status).toBe(3);
    expect(await levadura(["begin", "/proc/bees"], closed)).toMatchObject({
      status: 3,
      err: expect.stringContaining("can't write /proc/bees"),
    });
    chmodSync(closed, 0o755);
  });

  it("for listening: a port that is asked for by name and taken", async () => {
    const folder = projectWith(right);
    const taken = createServer();
    const port = await new Promise<number>((resolve) =>
      taken.listen(0, "127.0.0.1", () => resolve((taken.address() as { port: number }).port)),
    );
    const { status, err } = await levadura(["rise", "--port", String(port)], folder);
    taken.close();
    expect([status, err]).toEqual([3, expect.stringContaining(`port ${port} is in use`)]);
    expect(existsSync(join(folder, "migrations"))).toBe(false);
  });
});

describe("a command line that is wrong", () => {
  it.each([
    [["chek"]],
    [["check", "--nonsense"]],
    [["begin"]],
    [["serve", "--port", "99999"]],
    [["prepare", "--name", "Not Good"]],
    [["check", "more"]],
  ])("%j ends with 2", async (args) => {
    const { status, err } = await levadura(args, projectWith(right));
    expect(status).toBe(2);
    expect(err).not.toMatch(/^\s+at /m);
    expect(err.trim()).not.toBe("");
  });

  it("says what has to come first", async () => {
    const folder = projectWith(right);
    expect(await levadura(["serve"], folder)).toMatchObject({
      status: 1,
      err: expect.stringContaining("levadura build"),
    });
    await levadura(["prepare"], folder);
    await levadura(["build"], folder);
    expect(await levadura(["serve"], folder)).toMatchObject({
      status: 1,
      err: expect.stringContaining("levadura migrate"),
    });
    expect(await levadura(["seed"], folder)).toMatchObject({
      status: 1,
      err: expect.stringContaining("levadura migrate"),
    });
    expect(existsSync(join(folder, "records.db"))).toBe(false);
  });
});

describe("a history that is wrong", () => {
  it("is refused: edited after it was applied, missing, broken", async () => {
    const folder = projectWith(right);
    await levadura(["prepare"], folder);
    await levadura(["migrate"], folder);
    const sql = join(folder, "migrations/0001-begin/forward.sqlite.sql");
    const before = readFileSync(sql, "utf8");
    writeFileSync(sql, `${before}-- edited\n`);
    expect(await levadura(["migrate"], folder)).toMatchObject({
      status: 1,
      err: expect.stringContaining("0001-begin was edited after it was applied"),
    });
    expect((await levadura(["history"], folder)).out).toMatch(/0001-begin\s+edited/);
    writeFileSync(sql, before);
    writeFileSync(join(folder, "migrations/0001-begin/steps.yaml"), "steps: 7");
    expect(await levadura(["prepare"], folder)).toMatchObject({
      status: 1,
      err: expect.stringContaining("steps.yaml"),
    });
    rmSync(join(folder, "migrations"), { recursive: true });
    expect(await levadura(["migrate"], folder)).toMatchObject({
      status: 1,
      err: expect.stringContaining("is not in the migrations folder"),
    });
  });

  it("is settled when rise died while it added to a migration", async () => {
    const folder = projectWith(right);
    await levadura(["prepare"], folder);
    await levadura(["migrate"], folder);
    const [place, staged] = ["0001-begin", ".staged-0001-begin"].map((name) =>
      join(folder, "migrations", name),
    ) as [string, string];
    // Died after the ledger was written, between the two renames.
    renameSync(place, staged);
    expect(await levadura(["migrate"], folder)).toMatchObject({
      status: 0,
      out: expect.stringContaining("Nothing to apply"),
    });
    expect(readdirSync(join(folder, "migrations"))).toEqual(["0001-begin"]);
    // Died before: what is laid ready says something that the ledger doesn't.
    cpSync(place, staged, { recursive: true });
    writeFileSync(join(staged, "forward.sqlite.sql"), "create table never (x);\n");
    expect((await levadura(["migrate"], folder)).status).toBe(0);
    expect(readdirSync(join(folder, "migrations"))).toEqual(["0001-begin"]);
  });

  it("of a model that deletes data is not prepared", async () => {
    const folder = projectWith(right);
    await levadura(["prepare"], folder);
    writeFileSync(join(folder, "model.yaml"), right.replace("code: text", "number: integer"));
    const { status, err } = await levadura(["prepare"], folder);
    expect([status, err]).toEqual([
      1,
      expect.stringMatching(/hive\.code is no longer in the model[\s\S]*--accept-loss hive\.code/),
    ]);
    expect(readdirSync(join(folder, "migrations"))).toEqual(["0001-begin"]);
  });
});
