import { spawn } from "node:child_process";
import { cpSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import Driver from "libsql";
import { describe, expect, it } from "vitest";
import { openSqlite } from "../../src/io/engines/sqlite/engine.ts";
import { rowsOf } from "../support/database.ts";
import { thereAndBack } from "../support/evolving.ts";
import { levadura, projectWith, repository, temporaryFolder } from "../support/program.ts";
import { databaseOfOnesOwn, emptyPostgres, hasPostgres, rowsIn } from "../support/servers.ts";

const there = await hasPostgres();
const before = `levadura: 1
entities:
  Hive:
    fields:
      code: text ..20, required, unique
      town: text
      weight: text
      notes: long text
`;
const after = `levadura: 1
entities:
  Town:
    fields:
      name: text, required, unique
  Colony:
    was: Hive
    fields:
      code: text ..20, required, unique
      town: one Town, required
      weight: decimal, required, fill 1
      extra: integer
`;

/** A project with many rows, and a migration that is still to be applied to them. */
async function project(): Promise<string> {
  const folder = projectWith(before);
  for (const command of ["draft", "migrate"]) await levadura([command], folder);
  const driver = new Driver(join(folder, "records.db"));
  driver.exec(`insert into hive (code, town, weight, notes, created_at, updated_at)
    with recursive n (i) as (select 1 union all select i + 1 from n where i < 30000)
    select 'B-' || i, 'Town ' || (i % 50), case when i % 3 then i || '.5' end, 'note ' || i,
      '2026-01-01T00:00:00Z', '2026-01-01T00:00:00Z' from n`);
  driver.close();
  writeFileSync(join(folder, "model.yaml"), after);
  const { status } = await levadura(
    ["draft", "--throw-away", "hive.notes", "--throw-away", "colony.notes"],
    folder,
  );
  expect(status).toBe(2);
  expect((await levadura(["draft", "--throw-away", "colony.notes"], folder)).status).toBe(0);
  return folder;
}

const content =
  "select c.id, c.code, t.name, c.weight from colony c join town t on t.id = c.town_id order by c.id";

describe("a migration of many rows", () => {
  it("that is killed at any moment is done by the next run, once", async () => {
    const whole = await project();
    const begun = Date.now();
    await levadura(["migrate"], whole);
    const took = Date.now() - begun;
    const expected = rowsOf(join(whole, "records.db"), content);
    expect(expected).toHaveLength(30_000);
    const fresh = await project();
    for (let round = 0; round < 14; round++) {
      const folder = temporaryFolder();
      cpSync(fresh, folder, { recursive: true });
      const child = spawn(process.execPath, [join(repository, "bin/levadura.js"), "migrate"], {
        cwd: folder,
        stdio: "ignore",
        env: { ...process.env, DATABASE_URL: "" },
      });
      const ended = new Promise((resolve) => child.once("exit", resolve));
      await new Promise((resolve) => setTimeout(resolve, 200 + (round / 14) * took));
      child.kill("SIGKILL");
      await ended;
      const { status, err } = await levadura(["migrate"], folder);
      expect([status, err]).toEqual([0, ""]);
      const file = join(folder, "records.db");
      expect(rowsOf(file, content)).toEqual(expected);
      expect(rowsOf(file, "pragma integrity_check")).toEqual([{ integrity_check: "ok" }]);
      expect(readdirSync(join(folder, "kept")).filter((name) => name.includes("begun"))).toEqual(
        [],
      );
      await levadura(["rewind"], folder);
      expect(
        rowsOf(
          file,
          "select count(*) as n, count(notes) as notes, sum(length(town)) as towns from hive",
        ),
      ).toEqual(
        rowsOf(
          join(fresh, "records.db"),
          "select count(*) as n, count(notes) as notes, sum(length(town)) as towns from hive",
        ),
      );
    }
  });

  it("is done once by two runs that begin together", async () => {
    const folder = await project();
    const runs = await Promise.all([1, 2].map(() => levadura(["migrate", "--json"], folder)));
    expect(runs.map(({ status }) => status)).toEqual([0, 0]);
    const applied = runs.flatMap(({ out }) => (JSON.parse(out) as { applied: string[] }).applied);
    expect(applied).toHaveLength(1);
    expect(readFileSync(join(folder, "model.yaml"), "utf8")).toBe(after);
  });
});

describe("rows of many random models, brought to another one and back", () => {
  it("are all there, in the schema of a fresh database", async () => {
    const outcomes = { moved: 0, refused: 0, impossible: 0 };
    const folder = temporaryFolder();
    const pairs = Number(process.env.PAIRS ?? 600);
    for (let seed = 10_000; seed < 10_000 + pairs; seed++) {
      const engine = openSqlite(join(folder, `${seed}.db`));
      outcomes[await thereAndBack(engine, folder, seed)]++;
      await engine.close();
    }
    expect(outcomes.moved).toBeGreaterThan(pairs * 0.8);
  });

  it.skipIf(!there)("are so in PostgreSQL, too", async () => {
    const outcomes = { moved: 0, refused: 0, impossible: 0 };
    const folder = temporaryFolder();
    const pairs = Number(process.env.PAIRS ?? 300);
    const engine = await emptyPostgres();
    for (let seed = 20_000; seed < 20_000 + pairs; seed++) {
      outcomes[await thereAndBack(engine, folder, seed)]++;
      await engine.migrations.run("drop schema public cascade; create schema public");
    }
    expect(outcomes.moved).toBeGreaterThan(pairs * 0.8);
  });
});

describe.skipIf(!there)("a migration in PostgreSQL", () => {
  it("that is killed at any moment is done by the next run, once", async () => {
    const server = "app: {database: postgres}\nentities:";
    const folder = projectWith(before.replace("entities:", server));
    const database = await databaseOfOnesOwn();
    const env = { DATABASE_URL: database.url };
    for (const command of ["draft", "migrate"]) await levadura([command], folder, { env });
    await rowsIn(
      database,
      `insert into hive (code, town, weight, notes, created_at, updated_at)
        select 'B-' || i, 'Town ' || (i % 50), case when i % 3 > 0 then i || '.5' end, 'note ' || i, now(), now()
        from generate_series(1, 30000) as i`,
    );
    const rows = await rowsIn(
      database,
      "select id, code, town, weight, notes from hive order by id",
    );
    writeFileSync(join(folder, "model.yaml"), after.replace("entities:", server));
    await levadura(["draft", "--throw-away", "colony.notes"], folder, { env });
    for (let round = 0; round < 8; round++) {
      const child = spawn(process.execPath, [join(repository, "bin/levadura.js"), "migrate"], {
        cwd: folder,
        stdio: "ignore",
        env: { ...process.env, ...env },
      });
      const ended = new Promise((resolve) => child.once("exit", resolve));
      await new Promise((resolve) => setTimeout(resolve, 300 + round * 200));
      child.kill("SIGKILL");
      await ended;
      const { status, err } = await levadura(["migrate"], folder, { env });
      expect([status, err]).toEqual([0, ""]);
      expect((await rowsIn(database, content)).length).toBe(30_000);
      expect((await levadura(["changes", "--check"], folder, { env })).status).toBe(0);
      expect(await levadura(["rewind"], folder, { env })).toMatchObject({ status: 0, err: "" });
      expect(
        await rowsIn(database, "select id, code, town, weight, notes from hive order by id"),
      ).toEqual(rows);
    }
  });
});
