import { spawn } from "node:child_process";
import { cpSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import Driver from "libsql";
import { describe, expect, it } from "vitest";
import { openSqlite } from "../../src/io/engines/sqlite/engine.ts";
import { rowsOf } from "../support/database.ts";
import { thereAndBack } from "../support/evolving.ts";
import { levadura, projectWith, repository, temporaryFolder } from "../support/program.ts";
import {
  answers,
  databaseOfOnesOwn,
  emptyDatabase,
  mariadb,
  postgres,
} from "../support/servers.ts";

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

/** How often a run is killed: each time a little later. */
const rounds = Number(process.env.RUNS ?? 8);

/** A project with many rows, and a migration that is still to be applied to them. */
async function project(): Promise<string> {
  const folder = projectWith(before);
  for (const command of ["prepare", "migrate"]) await levadura([command], folder);
  const driver = new Driver(join(folder, "records.db"));
  driver.exec(`insert into hive (code, town, weight, notes, created_at, updated_at)
    with recursive n (i) as (select 1 union all select i + 1 from n where i < 30000)
    select 'B-' || i, 'Town ' || (i % 50), case when i % 3 then i || '.5' end, 'note ' || i,
      '2026-01-01T00:00:00Z', '2026-01-01T00:00:00Z' from n`);
  driver.close();
  writeFileSync(join(folder, "model.yaml"), after);
  const { status } = await levadura(
    ["prepare", "--accept-loss", "hive.notes", "--accept-loss", "colony.notes"],
    folder,
  );
  expect(status).toBe(2);
  expect((await levadura(["prepare", "--accept-loss", "colony.notes"], folder)).status).toBe(0);
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
    for (let round = 0; round < rounds; round++) {
      const folder = temporaryFolder();
      cpSync(fresh, folder, { recursive: true });
      await killed(folder, ["migrate"], { DATABASE_URL: "" }, 200 + (round / rounds) * took);
      const { status, err } = await levadura(["migrate"], folder);
      expect([status, err]).toEqual([0, ""]);
      const file = join(folder, "records.db");
      expect(rowsOf(file, content)).toEqual(expected);
      expect(rowsOf(file, "pragma integrity_check")).toEqual([{ integrity_check: "ok" }]);
      expect(readdirSync(join(folder, "kept")).filter((name) => name.includes("begun"))).toEqual(
        [],
      );
      await levadura(["rewind", "--yes"], folder);
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
    const pairs = Number(process.env.PAIRS ?? 150);
    for (let seed = 10_000; seed < 10_000 + pairs; seed++) {
      const engine = openSqlite(join(folder, `${seed}.db`));
      outcomes[await thereAndBack(engine, folder, seed)]++;
      await engine.close();
    }
    expect(outcomes.moved).toBeGreaterThan(pairs * 0.8);
  });
});

const filling = {
  postgres: `insert into hive (code, town, weight, notes, created_at, updated_at)
    select 'B-' || i, 'Town ' || (i % 50), case when i % 3 > 0 then i || '.5' end, 'note ' || i, now(), now()
    from generate_series(1, 10000) as i`,
  mariadb: `insert into hive (code, town, weight, notes, created_at, updated_at)
    select concat('B-', seq), concat('Town ', seq % 50), if(seq % 3 > 0, concat(seq, '.5'), null), concat('note ', seq), now(), now()
    from seq_1_to_10000`,
};

describe.each([postgres, mariadb])("migrations in $kind", async (server) => {
  const there = await answers(server);

  it.skipIf(!there)("bring rows of many random models to another one and back", async () => {
    const outcomes = { moved: 0, refused: 0, impossible: 0 };
    const folder = temporaryFolder();
    const pairs = Number(process.env.PAIRS ?? 60);
    const engine = await emptyDatabase(server);
    for (let seed = 20_000; seed < 20_000 + pairs; seed++) {
      outcomes[await thereAndBack(engine, folder, seed)]++;
      await server.clear(engine);
    }
    expect(outcomes.moved).toBeGreaterThan(pairs * 0.8);
  });

  it.skipIf(!there)("that are killed at any moment are done by the next run, once", async () => {
    const kind = `app: {database: ${server.kind}}\nentities:`;
    const folder = projectWith(before.replace("entities:", kind));
    const { url } = databaseOfOnesOwn(server);
    const env = { DATABASE_URL: url };
    const run = (...args: string[]) => levadura(args, folder, { env });
    for (const command of ["prepare", "migrate"]) await run(command);
    await server.rowsIn(url, filling[server.kind]);
    const all = "select id, code, town, weight, notes from hive order by id";
    const rows = await server.rowsIn(url, all);
    writeFileSync(join(folder, "model.yaml"), after.replace("entities:", kind));
    await run("prepare", "--accept-loss", "colony.notes");
    const begun = Date.now();
    await run("migrate");
    const took = Date.now() - begun;
    const expected = await server.rowsIn(url, content);
    expect(expected).toHaveLength(10_000);
    expect(await run("rewind", "--yes")).toMatchObject({ status: 0, err: "" });
    const half = new Set<boolean>();
    for (let round = 0; round < rounds; round++) {
      // Every other time it is the way back that is killed.
      const last = round % 2 === 0 ? ["migrate"] : ["rewind", "--yes"];
      await killed(folder, last, env, 200 + (round / rounds) * took);
      const { out } = await run("history");
      half.add(out.includes("half-way"));
      if (round % 2 === 0) {
        const { status, err } = await run(...last);
        expect([status, err]).toEqual([0, ""]);
        expect(await server.rowsIn(url, content)).toEqual(expected);
        expect((await run("changes", "--check")).status).toBe(0);
      } else {
        if (out.match(/0002-\S+ +(applied|half-way)/)) await run(...last);
        expect(await server.rowsIn(url, all)).toEqual(rows);
      }
    }
    // Only where each definition is a transaction of its own can a run be seen half-way.
    expect(half.has(true)).toBe(server.kind === "mariadb");
  });
});

/** Starts a command and kills it after a while, in milliseconds. */
async function killed(
  folder: string,
  command: readonly string[],
  env: Record<string, string>,
  after: number,
): Promise<void> {
  const child = spawn(process.execPath, [join(repository, "bin/levadura.js"), ...command], {
    cwd: folder,
    stdio: "ignore",
    env: { ...process.env, ...env },
  });
  const ended = new Promise((resolve) => child.once("exit", resolve));
  await new Promise((resolve) => setTimeout(resolve, after));
  child.kill("SIGKILL");
  await ended;
}
