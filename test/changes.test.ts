import {
  cpSync,
  existsSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { join } from "node:path";
import Driver from "libsql";
import { afterAll, describe, expect, it } from "vitest";
import { rowsOf } from "./support/database.ts";
import { levadura, projectWith, temporaryFolder } from "./support/program.ts";

const begin = `levadura: 1
entities:
  Apiary:
    fields:
      name: text, required, unique
  Hive:
    fields:
      code: text ..10, required
      apiary: one Apiary
      weight: text
      notes: long text
`;

let template: string | undefined;
afterAll(() => template && rmSync(template, { recursive: true }));

/** A project whose database has two apiaries and three hives: a copy of one that is made once. */
async function project(): Promise<{ folder: string; file: string; model: string }> {
  template ??= await makeTemplate();
  const folder = temporaryFolder();
  cpSync(template, folder, { recursive: true });
  return { folder, file: join(folder, "records.db"), model: join(folder, "model.yaml") };
}

async function makeTemplate(): Promise<string> {
  const folder = projectWith(begin, true);
  await levadura(["prepare"], folder);
  await levadura(["migrate"], folder);
  write(
    join(folder, "records.db"),
    `insert into apiary (name, created_at, updated_at) values ('East', ${stamp}), ('West', ${stamp});
     insert into hive (code, apiary_id, weight, notes, created_at, updated_at) values
       ('B-1', 1, '12.5', 'calm', ${stamp}), ('B-2', 2, 'heavy', null, ${stamp}), ('b-1', 1, null, 'new', ${stamp})`,
  );
  return folder;
}

const stamp = "'2026-01-01T00:00:00Z', '2026-01-01T00:00:00Z'";

function write(file: string, sql: string): void {
  const driver = new Driver(file);
  driver.exec(sql);
  driver.close();
}

function edit(file: string, ...changes: [string, string][]): void {
  let text = readFileSync(file, "utf8");
  for (const [from, to] of changes) {
    expect(text).toContain(from);
    text = text.replace(from, to);
  }
  writeFileSync(file, text);
}

async function run(folder: string, line: string): Promise<{ status: number | null; said: string }> {
  const { status, out, err } = await levadura(line.split(" "), folder);
  return { status, said: out + err };
}

const hives = "select * from hive order by id";

describe("changes", () => {
  it("are told with what they do to the rows, and their statements", async () => {
    const { folder, model } = await project();
    expect(await run(folder, "changes --check")).toMatchObject({
      status: 0,
      said: expect.stringContaining("the model, the migrations and the database agree"),
    });
    edit(
      model,
      ["code: text ..10, required", "code: text ..2, required, unique"],
      ["weight: text", "weight: decimal"],
      ["      notes: long text\n", "      since: date\n"],
    );
    const { status, said } = await run(folder, "changes --check --sql");
    expect(status).toBe(4);
    expect(said).toMatch(/rows must comply +hive\.code takes text of at most 2 char/);
    expect(said).toMatch(/3 rows of hive have a code that is no longer allowed \(row 1 "B-1"/);
    expect(said).toMatch(/2 rows of hive have the same code \(row 1 "B-1", row 3 "b-1"\)/);
    expect(said).toMatch(/1 row of hive has a weight[^\n]*\(row 2 "heavy"\)/);
    expect(said).toMatch(
      /deletes data +hive\.notes is no longer[\s\S]*2 values of hive\.notes are deleted/,
    );
    expect(said).toMatch(/safe +hive\.since is new/);
    expect(said).toContain('create table "levadura_new_hive"');
    const { out } = await levadura(["changes", "--json"], folder);
    const { unprepared } = JSON.parse(out) as {
      unprepared: { verdict: string; accept?: string }[];
    };
    expect(unprepared.find(({ accept }) => accept === "hive.notes")?.verdict).toBe("deletes data");
  });

  it("are told as far as they can be where somebody took a table away by hand", async () => {
    const { folder, file, model } = await project();
    write(file, "drop table hive");
    edit(model, ["code: text ..10, required", "code: text ..2, required, unique"]);
    const { status, said } = await run(folder, "changes --check");
    expect([status, said]).toEqual([4, expect.stringContaining("the table hive is gone")]);
    expect(said).toContain("hive (code) has to be unique");
  });

  it("by hand that can't be carried over end the migration", async () => {
    const { folder, file, model } = await project();
    write(file, "alter table hive add column friend integer references hive (id)");
    write(file, "update hive set friend = 2 where id = 1");
    edit(model, ["apiary: one Apiary", "apiary: one Apiary, required"]);
    await run(folder, "prepare");
    expect(await run(folder, "migrate")).toMatchObject({
      status: 1,
      said: expect.stringContaining("The column friend of hive was added by hand"),
    });
    expect(rowsOf(file, "select friend from hive where id = 1")).toEqual([{ friend: 2 }]);
  });

  it("by hand are noticed, and kept when a table is rebuilt", async () => {
    const { folder, file, model } = await project();
    write(
      file,
      `alter table hive add column extra text; alter table hive add column size integer not null default 3;
       update hive set extra = 'mine ' || id, size = id; create index sizes on hive (size, extra);
       create table mine (x); create index own on hive (weight);
       create view calm as select code from hive where notes = 'calm';
       create trigger watch after update on hive begin insert into mine values (new.code); end`,
    );
    const { status, said } = await run(folder, "changes --check");
    expect(status).toBe(4);
    expect(said).toContain("the table mine was added by hand");
    expect(said).toContain("hive: the index own was added by hand");
    edit(model, ["apiary: one Apiary", "apiary: one Apiary, required"]);
    await run(folder, "prepare");
    expect((await run(folder, "migrate")).status).toBe(0);
    expect(rowsOf(file, "select code from calm")).toMatchObject([{ code: "B-1" }]);
    const added = rowsOf(file, "select id, extra, size from hive order by id");
    expect(added).toEqual([1, 2, 3].map((id) => ({ id, extra: `mine ${id}`, size: id })));
    expect(rowsOf(file, "select name from sqlite_schema where name = 'sizes'")).toHaveLength(1);
    write(
      file,
      "update hive set code = 'B-9' where id = 1; insert into apiary (name, created_at, updated_at) select 'N', created_at, updated_at from apiary limit 1",
    );
    expect(rowsOf(file, "select x from mine")).toMatchObject([{ x: "B-9" }]);
    expect(rowsOf(file, "select name from sqlite_schema where name = 'own'")).toHaveLength(1);
    expect(() => write(file, "pragma foreign_keys = on; delete from apiary where id = 1")).toThrow(
      /FOREIGN KEY/,
    );
  });
});

describe("a migration", () => {
  it("is refused with the rows that stand in its way, and nothing of it happens", async () => {
    const { folder, file, model } = await project();
    edit(model, ["weight: text", "weight: decimal"]);
    expect((await run(folder, "prepare")).said).toContain(
      "can't be applied to this database while",
    );
    const before = rowsOf(file, hives);
    const { status, said } = await run(folder, "migrate");
    expect(status).toBe(1);
    expect(said).toMatch(
      /nothing was changed, because 1 row of hive has a weight[\s\S]*row 2 with "heavy"/,
    );
    expect(rowsOf(file, hives)).toEqual(before);
    expect(existsSync(join(folder, "kept"))).toBe(false);
    expect((await run(folder, "history")).said).toMatch(/0002-\S+ +failed/);
    write(file, "update hive set weight = '7' where id = 2");
    expect((await run(folder, "migrate")).status).toBe(0);
    expect(rowsOf(file, "select weight from hive order by id")).toMatchObject([
      { weight: 12.5 },
      { weight: 7 },
      { weight: null },
    ]);
  });

  it("lets go of values that are accepted by name, and brings them back", async () => {
    const { folder, file, model } = await project();
    const before = rowsOf(file, hives);
    edit(model, ["weight: text", "weight: decimal"], ["      notes: long text\n", ""]);
    expect(await run(folder, "prepare --accept-loss hive.nothing")).toMatchObject({
      status: 2,
      said: expect.stringContaining("no change throws that away"),
    });
    expect((await run(folder, "prepare --accept-loss hive.weight")).status).toBe(1);
    await run(folder, "prepare --accept-loss hive.weight --accept-loss hive.notes");
    expect((await run(folder, "migrate")).said).toMatch(
      /kept in kept\/0002-\S+: hive-weight \(2 rows\), hive-notes \(2 rows\)/,
    );
    write(
      file,
      `update hive set weight = 99 where id = 1;
       insert into hive (code, weight, created_at, updated_at) values ('B-4', 5, ${stamp})`,
    );
    const { said } = await run(folder, "rewind --yes");
    expect(said).toContain("1 row of hive was added since, and has no value there: row 4");
    const after = rowsOf<Record<string, unknown>>(file, hives);
    expect(after.slice(1, 3)).toMatchObject(before.slice(1));
    // What somebody changed since stays changed.
    expect(after[0]).toMatchObject({ weight: "99", notes: "calm" });
    expect(after[3]).toMatchObject({ weight: "5", notes: null });
  });

  it("can't be taken back without what it kept, and says so before it begins", async () => {
    const { folder, file, model } = await project();
    edit(model, ["      notes: long text\n", ""]);
    await run(folder, "prepare --accept-loss hive.notes");
    await run(folder, "migrate");
    const kept = join(folder, "kept");
    renameSync(kept, `${kept}-moved`);
    const { status, said } = await run(folder, "rewind --yes");
    expect([status, said]).toEqual([3, expect.stringContaining("hive-notes.jsonl.gz")]);
    expect(rowsOf(file, "select name from levadura_ledger")).toHaveLength(2);
    renameSync(`${kept}-moved`, kept);
    expect((await run(folder, "rewind --yes")).status).toBe(0);
    expect(rowsOf(file, "select notes from hive where id = 1")).toMatchObject([{ notes: "calm" }]);
  });

  it("is gone to in either direction", async () => {
    const { folder, file, model } = await project();
    edit(model, ["      weight: text\n", "      mass: text, was weight\n"]);
    await run(folder, "prepare --name mass");
    edit(model, ["was weight\n", "was weight\n      born: date\n"]);
    await run(folder, "prepare --name born");
    const columns = () =>
      rowsOf<{ name: string }>(file, "select name from pragma_table_info('hive')").map(
        ({ name }) => name,
      );
    await run(folder, "migrate --to 2");
    expect(columns()).toContain("mass");
    expect(columns()).not.toContain("born");
    await run(folder, "migrate");
    expect(columns()).toContain("born");
    const { out } = await levadura(["migrate", "--to", "0001-begin", "--yes", "--json"], folder);
    expect(JSON.parse(out)).toMatchObject({ rewound: ["0003-born", "0002-mass"], applied: [] });
    expect(columns()).toContain("weight");
    expect(await run(folder, "migrate --to 9")).toMatchObject({
      status: 2,
      said: expect.stringContaining("there is no migration 9"),
    });
    expect((await run(folder, "migrate --to 0 --yes")).status).toBe(0);
    expect(rowsOf(file, "select name from sqlite_schema where name = 'hive'")).toEqual([]);
    await run(folder, "migrate --to 1");
    await run(folder, "rewind --count 5 --yes");
    expect(rowsOf(file, "select * from levadura_ledger")).toEqual([]);
  });

  it("of two branches with one number is noticed, and put in order", async () => {
    const { folder, model } = await project();
    edit(model, ["weight: text", "weight: text\n      born: date"]);
    await run(folder, "prepare --name born");
    await run(folder, "migrate");
    edit(model, ["born: date", "born: date\n      tame: boolean"]);
    await run(folder, "prepare --name tame");
    const at = (name: string) => join(folder, "migrations", name);
    renameSync(at("0003-tame"), at("0002-a-tame"));
    const { status, said } = await run(folder, "migrate");
    expect([status, said]).toEqual([
      1,
      expect.stringContaining("0002-a-tame and 0002-born have the same number"),
    ]);
    expect((await run(folder, "migrate --in-order")).said).toContain(
      "0002-a-tame is called 0003-a-tame now",
    );
    expect((await run(folder, "changes --check")).status).toBe(0);
  });

  it("takes SQL of one's own, which needs a way back of its own", async () => {
    const { folder, file } = await project();
    await levadura(["prepare", "--own-step", "Writes the codes in capitals"], folder);
    const [name = ""] = readdirSync(join(folder, "migrations")).slice(-1);
    const script = (which: string) => join(folder, "migrations", name, `${which}.sqlite.sql`);
    expect((await run(folder, "migrate")).said).toContain("no SQL for the step");
    edit(script("forward"), [
      "-- there is no SQL for this: Writes the codes in capitals;",
      "update hive set code = upper(code);",
    ]);
    await run(folder, "migrate");
    expect(rowsOf(file, "select code from hive where id = 3")).toMatchObject([{ code: "B-1" }]);
    expect(await run(folder, "rewind --yes")).toMatchObject({
      status: 1,
      said: expect.stringContaining("no SQL for the step"),
    });
    expect((await run(folder, "prepare --rewrite")).said).toContain("is applied");
    edit(script("back"), [
      "-- there is no SQL for this: Writes the codes in capitals;",
      "update hive set code = lower(code);",
    ]);
    expect((await run(folder, "rewind --yes")).status).toBe(0);
    expect((await run(folder, "prepare --rewrite")).said).toContain(
      "was edited, and would be lost",
    );
    expect((await run(folder, "prepare --rewrite --discard-edits")).status).toBe(0);
    expect(readFileSync(script("forward"), "utf8")).toContain("there is no SQL for this");
  });

  it("is applied over a ledger from before it knew of failures", async () => {
    const { folder, file, model } = await project();
    write(
      file,
      "alter table levadura_ledger drop column kept; alter table levadura_ledger drop column failure",
    );
    expect((await run(folder, "history")).said).toMatch(/0001-begin +applied/);
    edit(model, ["weight: text", "weight: text\n      born: date"]);
    await run(folder, "prepare");
    expect((await run(folder, "migrate")).said).toContain("Applied 0002-add-hive-born");
    expect(rowsOf(file, "select kept, failure from levadura_ledger")).toMatchObject([
      { kept: null, failure: null },
      { kept: null, failure: null },
    ]);
  });

  it("starts over only when the database is named, and keeps a copy", async () => {
    const { folder, file } = await project();
    expect(await run(folder, "migrate --start-over")).toMatchObject({
      status: 2,
      said: expect.stringMatching(
        /records\.db has 5 rows, 5 of them not made by seeding[\s\S]*--database records\.db/,
      ),
    });
    expect((await run(folder, "migrate --start-over --database other.db")).status).toBe(2);
    const { status, said } = await run(folder, "migrate --start-over --database records.db");
    expect([status, said]).toEqual([0, expect.stringContaining("Cleared records.db")]);
    expect(rowsOf(file, "select * from hive")).toEqual([]);
    const [copy = ""] = readdirSync(join(folder, "kept"));
    expect(rowsOf(join(folder, "kept", copy), "select * from hive")).toHaveLength(3);
    rmSync(join(folder, "kept"), { recursive: true });
  });

  it("asks for a `was` where something seems to have another name", async () => {
    const { folder, file, model } = await project();
    edit(model, ["      weight: text\n", "      mass: text\n"]);
    expect(await run(folder, "prepare")).toMatchObject({
      status: 1,
      said: expect.stringMatching(
        /hive\.weight is no longer in the model, and hive\.mass is new[\s\S]*add `was weight`/,
      ),
    });
    edit(model, ["mass: text", "mass: text, was weight"]);
    await run(folder, "prepare");
    await run(folder, "migrate");
    expect(rowsOf(file, "select mass from hive order by id")).toMatchObject([
      { mass: "12.5" },
      { mass: "heavy" },
      { mass: null },
    ]);
    edit(model, [", was weight", ""]);
    expect((await run(folder, "changes --check")).status).toBe(0);
  });

  it("moves fields along a reference into an entity of their own, and back", async () => {
    const { folder, file, model } = await project();
    const before = rowsOf(file, hives);
    edit(
      model,
      [
        "name: text, required, unique",
        "name: text, required, unique\n      weight: text, was Hive.weight",
      ],
      ["      weight: text\n", ""],
    );
    // The edit above took the first of the two lines.
    writeFileSync(
      model,
      readFileSync(model, "utf8").replace(
        "      apiary: one Apiary\n      weight: text\n",
        "      apiary: one Apiary\n",
      ),
    );
    const refused = await run(folder, "changes");
    expect(refused.said).toMatch(/hive\.weight moves to apiary\.weight, along hive\.apiary_id/);
    await run(folder, "prepare");
    const { status, said } = await run(folder, "migrate");
    expect([status, said]).toEqual([0, expect.stringContaining("Applied")]);
    expect(rowsOf(file, "select weight from apiary order by id")).toMatchObject([
      { weight: "12.5" },
      { weight: "heavy" },
    ]);
    await run(folder, "rewind --yes");
    expect(rowsOf(file, "select code, weight from hive order by id")).toMatchObject(
      [before[0]?.weight, before[1]?.weight, "12.5"].map((weight) => ({ weight })),
    );
  });
});
