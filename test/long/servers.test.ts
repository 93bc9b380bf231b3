import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gunzipSync } from "node:zlib";
import { describe, expect, it } from "vitest";
import { demoModel } from "../support/demo.ts";
import { levadura, projectWith } from "../support/program.ts";
import {
  answers,
  databaseOfOnesOwn,
  mariadb,
  narrowAccount,
  postgres,
} from "../support/servers.ts";

const beginOn = (kind: string) => `levadura: 1
app: {database: ${kind}}
entities:
  Hive:
    fields:
      code: text ..10, required, unique
      town: text
      weight: text
      notes: long text
`;

describe.each([postgres, mariadb])("a project on $kind", async (server) => {
  const there = await answers(server);
  const begin = beginOn(server.kind);

  it("says where the address of the database belongs, and what is wrong with it", async () => {
    const folder = projectWith(begin);
    const run = async (DATABASE_URL: string) => {
      const { status, err } = await levadura(["changes"], folder, { env: { DATABASE_URL } });
      return [status, err];
    };
    expect(await run("")).toEqual([2, expect.stringContaining("set DATABASE_URL")]);
    expect(await run("sqlite:x.db")).toEqual([2, expect.stringContaining("is no address of a ")]);
    const [status, said] = await run(`${server.kind}://me:secret@127.0.0.1:1/bees`);
    expect([status, said]).toEqual([
      3,
      expect.stringContaining("127.0.0.1:1/bees: no server answers"),
    ]);
    expect(said).not.toContain("secret");
    // Preparing needs no database; it only says that nothing was counted.
    const env = { DATABASE_URL: `${server.kind}://me:secret@127.0.0.1:1/bees` };
    expect(await levadura(["prepare"], folder, { env })).toMatchObject({
      status: 0,
      out: expect.stringMatching(/Prepared[\s\S]*counted[\s\S]*no server answers/),
    });
  });

  it.skipIf(!there)("is made, migrated, filled, changed and taken back as on SQLite", async () => {
    const folder = projectWith(begin);
    const database = databaseOfOnesOwn(server);
    // The address comes out of .env, and goes nowhere else.
    writeFileSync(join(folder, ".env"), `DATABASE_URL=${database.url}\n`);
    const run = async (...args: string[]) => {
      const { status, out, err } = await levadura(args, folder);
      return { status, said: out + err };
    };
    await run("prepare");
    expect(readdirSync(join(folder, "migrations/0001-begin"))).toContain(
      `forward.${server.kind}.sql`,
    );
    expect((await run("history")).said).toMatch(/0001-begin +pending/);
    const runs = await Promise.all([1, 2, 3].map(() => levadura(["migrate", "--json"], folder)));
    expect(runs.map(({ status, out }) => [status, status ? out : ""])).toEqual(
      Array(3).fill([0, ""]),
    );
    expect(runs.flatMap(({ out }) => JSON.parse(out).applied as string[])).toEqual(["0001-begin"]);
    expect((await run("seed")).said).toContain("Seeded Hives");
    const before = await server.rowsIn(database.url, "select * from hive order by id");
    expect(before.length).toBeGreaterThan(5);
    await server.rowsIn(
      database.url,
      "update hive set town = case when id % 2 = 0 then 'Alderbrook' else 'alderBROOK' end, weight = case when id = 1 then 'heavy' else concat(id, '.50') end",
    );
    const rows = await server.rowsIn(database.url, "select * from hive order by id");
    writeFileSync(
      join(folder, "model.yaml"),
      begin
        .replace(
          "  Hive:\n",
          "  Town: {fields: {name: 'text, required, unique'}}\n  Colony:\n    was: Hive\n",
        )
        .replace("town: text", "town: one Town, required")
        .replace("weight: text", "weight: decimal, required, fill 1")
        .replace("      notes: long text\n", ""),
    );
    const { said } = await run("changes", "--check");
    expect(said).toMatch(
      /1 row of colony has a weight that is no longer allowed \(row 1 "heavy"\)/,
    );
    await run("prepare", "--accept-loss", "colony.notes");
    expect(await run("migrate")).toMatchObject({
      status: 1,
      said: expect.stringContaining("nothing was changed"),
    });
    expect(await server.rowsIn(database.url, "select * from hive order by id")).toEqual(rows);
    expect((await run("history")).said).toMatch(/0002-\S+ +failed/);
    await server.rowsIn(database.url, "update hive set weight = '7' where id = 1");
    const ready = await server.rowsIn(database.url, "select * from hive order by id");
    expect(await run("migrate")).toMatchObject({ status: 0 });
    expect(await server.rowsIn(database.url, "select name from town")).toHaveLength(1);
    expect(
      (await server.rowsIn(database.url, "select weight from colony where id = 2"))[0]?.weight,
    ).toBe(2.5);
    expect((await run("changes", "--check")).status).toBe(0);
    await server.rowsIn(database.url, "alter table colony add column extra text");
    expect((await run("changes", "--check")).said).toContain(
      "colony: the column extra was added by hand",
    );
    await server.rowsIn(database.url, "alter table colony drop column extra");
    await run("rewind", "--yes");
    const columns = "id, code, town, weight, notes, version";
    expect(await server.rowsIn(database.url, `select ${columns} from hive order by id`)).toEqual(
      ready.map(({ id, code, town, weight, notes, version }) => ({
        id,
        code,
        town,
        weight,
        notes,
        version,
      })),
    );
    const written = readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile() && entry.name !== ".env" && !entry.name.endsWith(".gz"))
      .map((entry) => readFileSync(join(entry.parentPath, entry.name), "utf8"));
    expect(written.some((text) => text.includes(database.url))).toBe(false);
  });

  it.skipIf(!there)("gets the scripts that a migration lacks for it", async () => {
    const model = demoModel({ open: true });
    const folder = projectWith(model);
    await levadura(["prepare"], folder);
    writeFileSync(
      join(folder, "model.yaml"),
      model.replace("database: sqlite", `database: ${server.kind}`),
    );
    const database = databaseOfOnesOwn(server);
    const env = { DATABASE_URL: database.url };
    expect(await levadura(["migrate"], folder, { env })).toMatchObject({ status: 0, err: "" });
    expect(readdirSync(join(folder, "migrations/0001-begin"))).toEqual(
      expect.arrayContaining([
        "forward.sqlite.sql",
        `forward.${server.kind}.sql`,
        `back.${server.kind}.sql`,
      ]),
    );
    expect(await levadura(["seed"], folder, { env })).toMatchObject({ status: 0, err: "" });
    expect((await server.rowsIn(database.url, "select count(*) as n from inspection"))[0]?.n).toBe(
      108,
    );
  });

  it.skipIf(!there)(
    "says what an account may not do, and needs no more than its own database",
    async () => {
      const folder = projectWith(begin);
      await levadura(["prepare"], folder);
      const looking = { DATABASE_URL: (await narrowAccount(server, "look")).url };
      const refused = await levadura(["migrate"], folder, { env: looking });
      expect([refused.status, refused.err]).toEqual([
        3,
        expect.stringMatching(/the account may not do that\n +ask whoever runs the server/),
      ]);
      const none = looking.DATABASE_URL.replace(/[^/]+$/, "levadura_test_none");
      const missing = await levadura(["migrate"], folder, { env: { DATABASE_URL: none } });
      expect([missing.status, missing.err]).toEqual([
        3,
        expect.stringContaining("may not do that"),
      ]);
      const env = { DATABASE_URL: (await narrowAccount(server, "all")).url };
      for (const command of [["migrate"], ["seed"], ["changes", "--check"], ["rewind", "--yes"]]) {
        expect(await levadura(command, folder, { env })).toMatchObject({ status: 0, err: "" });
      }
    },
  );

  it.skipIf(!there)("is started afresh with a copy put aside, when it is named", async () => {
    const folder = projectWith(begin);
    const { name, url } = databaseOfOnesOwn(server);
    const run = (...args: string[]) => levadura(args, folder, { env: { DATABASE_URL: url } });
    for (const command of ["prepare", "migrate", "seed"]) await run(command);
    await server.rowsIn(url, "update hive set town = 'Fell', version = 2 where id = 1");
    await server.rowsIn(url, "create view towns as select town from hive");
    const refused = await run("migrate", "--start-over");
    expect([refused.status, refused.err]).toEqual([
      2,
      expect.stringContaining(`levadura migrate --start-over --database ${name}`),
    ]);
    expect(await run("migrate", "--start-over", "--database", name)).toMatchObject({ status: 0 });
    expect(await server.rowsIn(url, "select * from hive")).toEqual([]);
    const [copy = ""] = readdirSync(join(folder, "kept"));
    const lines = gunzipSync(readFileSync(join(folder, "kept", copy, "hive.jsonl.gz"))).toString();
    expect(lines).toContain('"Fell"');
    expect((await run("changes", "--check")).status).toBe(0);
  });
});

describe("SQL of one's own on MariaDB", async () => {
  const there = await answers(mariadb);

  it.skipIf(!there)(
    "is taken back where it changed only rows, and gone on with where it was corrected",
    async () => {
      const folder = projectWith(beginOn("mariadb"));
      const { url } = databaseOfOnesOwn(mariadb);
      const run = (...args: string[]) => levadura(args, folder, { env: { DATABASE_URL: url } });
      for (const command of ["prepare", "migrate", "seed"]) await run(command);
      const rows = () => mariadb.rowsIn(url, "select id, code, town from hive order by id");
      const before = await rows();
      const model = readFileSync(join(folder, "model.yaml"), "utf8");
      writeFileSync(join(folder, "model.yaml"), `${model}      extra: integer\n`);
      await run("prepare", "--own-step", "Writes towns in capitals");
      const [name = ""] = readdirSync(join(folder, "migrations")).filter((each) => each > "0002");
      const script = join(folder, "migrations", name, "forward.mariadb.sql");
      const empty = readFileSync(script, "utf8");
      const write = (sql: string) =>
        writeFileSync(script, empty.replace(/-- there is no SQL for this: .*\n/, sql));
      expect((await run("migrate")).err).toContain("There is no SQL for the step");
      write(
        "update hive set town = 'one; town' where id = 1;\nupdate nowhere set x = 1; -- 'that fails\n",
      );
      expect(await run("migrate")).toMatchObject({
        status: 3,
        err: expect.stringContaining("nowhere"),
      });
      expect((await run("history")).out).toMatch(/0002-\S+ +failed/);
      expect(await rows()).toEqual(before);
      expect((await mariadb.rowsIn(url, "show columns from hive like 'extra'")).length).toBe(0);
      write("alter table hive add column mine int;\nalter table hive add column code int;\n");
      const stopped = await run("migrate");
      expect([stopped.status, stopped.err]).toEqual([
        3,
        expect.stringMatching(/stopped within its step \d/),
      ]);
      expect((await run("history")).out).toMatch(/0002-\S+ +half-way/);
      expect((await run("changes")).err).toContain("is half-way through 0002");
      // What is done can't be edited any more; what is still to come can.
      write("alter table hive add column yours int;\nalter table hive drop column mine;\n");
      expect(await run("migrate")).toMatchObject({
        status: 1,
        err: expect.stringContaining("Take that edit back"),
      });
      write("alter table hive add column mine int;\nalter table hive drop column mine;\n");
      expect(await run("migrate")).toMatchObject({ status: 0, err: "" });
      expect((await run("changes", "--check")).status).toBe(0);
      expect(await rows()).toEqual(before);
    },
  );
});
