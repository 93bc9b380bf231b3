import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { demoModel } from "./support/demo.ts";
import { levadura, projectWith, repository, temporaryFolder } from "./support/program.ts";

const model =
  "levadura: 1\nentities:\n  Hive:\n    fields:\n      code: text, required\n      weight:\n";

describe("every command", () => {
  it("gives scripts one JSON value, and nothing else", async () => {
    const folder = projectWith(model);
    const json = async (...args: string[]) => {
      const { out, err, status } = await levadura([...args, "--json"], folder);
      expect([args, status, err]).toEqual([args, 0, ""]);
      return JSON.parse(out);
    };
    expect(await json("check")).toMatchObject({
      entities: 1,
      fields: 2,
      notes: [{ where: "model.yaml:6:7", severity: "note" }],
    });
    expect(await json("prepare")).toEqual({
      prepared: {
        name: "0001-begin",
        steps: ["adds the table hive with 6 columns"],
        impacts: [
          { sentence: "hive is new", verdict: "safe", table: "hive", risks: [], rewritten: [] },
        ],
      },
    });
    expect(await json("prepare")).toEqual({ prepared: null });
    expect(await json("history")).toEqual({
      migrations: [{ name: "0001-begin", state: "pending" }],
    });
    expect(await json("migrate")).toEqual({ applied: ["0001-begin"], rewound: [], findings: [] });
    expect(await json("migrate")).toEqual({ applied: [], rewound: [], findings: [] });
    expect(await json("seed", "--seed", "7")).toEqual({
      seed: 7,
      today: expect.stringMatching(/^\d{4}-\d\d-\d\d$/),
      rows: { Hive: 12 },
      people: 0,
      skipped: [],
      surplus: {},
      loaded: [],
    });
    expect(await json("seed")).toMatchObject({ rows: {}, skipped: ["Hive"] });
    expect(await json("build")).toMatchObject({ removed: 0, kept: [] });
    expect(await json("begin", "other")).toMatchObject({
      files: expect.arrayContaining(["model.yaml"]),
    });
    expect(await json("check", "--schema")).toMatchObject({ title: "A Levadura model" });
  });

  it("tells scripts of failures too, on the same channel", async () => {
    const { out, status } = await levadura(["check", "--json"], temporaryFolder());
    expect(status).toBe(2);
    expect(JSON.parse(out)).toMatchObject({
      error: expect.stringContaining("there is no model.yaml"),
      help: expect.stringContaining("levadura begin"),
    });
  });

  it("says what it is for, what it takes, and what comes next", async () => {
    for (const command of [
      "begin",
      "check",
      "prepare",
      "migrate",
      "history",
      "seed",
      "build",
      "serve",
      "rise",
      "demo",
    ]) {
      const { out, status } = await levadura([command, "--help"], repository);
      expect([command, status]).toEqual([command, 0]);
      expect(out).toContain(`levadura ${command}`);
      expect(out).toContain("--json");
    }
    expect((await levadura(["check"], projectWith(model))).next).toContain("levadura rise");
    expect((await levadura([], repository)).out).toContain("New here?");
    expect((await levadura(["--version"], repository)).out).toMatch(/^levadura\/\d+\.\d+\.\d+\n$/);
  });

  it("writes no colours where none are wanted", async () => {
    const folder = projectWith(model.replace("text", "txet"));
    const plain = await levadura(["check"], folder);
    expect(plain.err).not.toContain("\u001b[");
    const colored = await levadura(["check"], folder, { env: { NO_COLOR: "", FORCE_COLOR: "1" } });
    expect(colored.err).toContain("\u001b[");
  });
});

describe("migrations", () => {
  it("are numbered, named after what they do or as asked, and applied in order", async () => {
    const folder = projectWith(model);
    const path = join(folder, "model.yaml");
    await levadura(["prepare"], folder);
    writeFileSync(path, `${model}      opened: date\n`);
    expect((await levadura(["prepare"], folder)).out).toContain(
      "Prepared migrations/0002-add-hive-opened",
    );
    writeFileSync(
      path,
      `${model}      opened: date\n  Queen:\n    fields:\n      hive: one Hive, required\n`,
    );
    expect((await levadura(["prepare", "--name", "queens-at-last"], folder)).out).toContain(
      "Prepared migrations/0003-queens-at-last",
    );
    expect(await levadura(["history"], folder)).toMatchObject({
      out: expect.stringMatching(/0001-begin\s+pending[\s\S]*0003-queens-at-last\s+pending/),
      next: expect.stringContaining("levadura migrate"),
    });
    expect(existsSync(join(folder, "records.db"))).toBe(false);
    expect((await levadura(["migrate"], folder)).out).toMatch(
      /Applied 0001-begin[\s\S]*Applied 0002-add-hive-opened[\s\S]*Applied 0003/,
    );
    const sql = readFileSync(
      join(folder, "migrations/0003-queens-at-last/forward.sqlite.sql"),
      "utf8",
    );
    expect(sql).toContain('"hive_id" integer not null references "hive" ("id") on delete restrict');
    expect(
      readFileSync(join(folder, "migrations/0002-add-hive-opened/back.sqlite.sql"), "utf8"),
    ).toContain('alter table "hive" drop column "opened"');
  });

  it("that fail leave the database and the ledger as they were", async () => {
    const folder = projectWith(model);
    await levadura(["prepare"], folder);
    await levadura(["migrate"], folder);
    writeFileSync(join(folder, "model.yaml"), `${model}      opened: date\n`);
    await levadura(["prepare"], folder);
    const sql = join(folder, "migrations/0002-add-hive-opened/forward.sqlite.sql");
    writeFileSync(sql, `${readFileSync(sql, "utf8")}insert into nowhere values (1);\n`);
    const failed = await levadura(["migrate"], folder);
    expect(failed.status).toBe(3);
    expect(failed.err).toContain("no such table: nowhere");
    expect(failed.err).not.toMatch(/^\s+at /m);
    expect((await levadura(["history"], folder)).out).toMatch(
      /0002-add-hive-opened\s+failed[\s\S]*no such table: nowhere/,
    );
    writeFileSync(sql, readFileSync(sql, "utf8").replace("insert into nowhere values (1);\n", ""));
    expect((await levadura(["migrate"], folder)).status).toBe(0);
  });

  it("wait for one another when two run at once", async () => {
    const folder = projectWith(demoModel({ open: true }));
    await levadura(["prepare"], folder);
    const runs = await Promise.all([1, 2, 3].map(() => levadura(["migrate", "--json"], folder)));
    expect(runs.map(({ status }) => status)).toEqual([0, 0, 0]);
    const applied = runs.flatMap(({ out }) => JSON.parse(out).applied as string[]);
    expect(applied).toEqual(["0001-begin"]);
  });
});
