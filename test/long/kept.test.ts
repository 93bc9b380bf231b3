import { appendFileSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterEach, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "../support/kinds.ts";
import { levadura } from "../support/program.ts";

const model = (hive: string, more = "") => `levadura: 1
app: {name: Hive Book, database: sqlite}
entities:
  Apiary: {fields: {name: "text, required, unique"}}
  Hive:
    title: "{code}"
    fields:
      code: text ..20, required, unique
${hive}
  Keeper: {fields: {name: "text, required, unique"}}
${more}`;

const plain = "      apiary: one Apiary\n      weight: integer\n      keepers: many Keeper";

describe.each(kinds)("kept rows, over $kind,", (kind) => {
  let project: TestProject;
  afterEach(() => project.remove());

  async function run(line: string): Promise<{ status: number | null; said: string }> {
    const { status, out, err } = await levadura(line.split(" "), project.folder);
    return { status, said: out + err };
  }
  async function done(...lines: string[]): Promise<string> {
    let said = "";
    for (const line of lines) {
      const { status, said: told } = await run(line);
      expect([line, status], told).toEqual([line, 0]);
      said += told;
    }
    return said;
  }
  const write = (text: string) =>
    writeFileSync(
      join(project.folder, "model.yaml"),
      text.replace("database: sqlite", `database: ${kind.kind}`),
    );
  const moment = kind.kind === "mariadb" ? "2026-05-03 07:00:00" : "2026-05-03T07:00:00Z";
  const insert = (table: string, columns: string, values: string) =>
    project.rows(
      `insert into ${table} (${columns}, created_at, updated_at) values (${values}, '${moment}', '${moment}')`,
    );
  const all = async () => ({
    apiary: await project.rows("select * from apiary order by id"),
    hive: await project.rows("select * from hive order by id"),
    keepers: await project.rows("select * from hive_keepers order by hive_id, keeper_id"),
  });

  /** Two apiaries that were loaded, sample rows of keepers, and hives that somebody entered. */
  async function begin(): Promise<void> {
    project = projectOn(kind, model(plain));
    await done("prepare", "migrate");
    writeFileSync(join(project.folder, "apiaries.csv"), "name\nMill\nHill\n");
    await done("import apiaries.csv --yes", "import --yes", "seed Keeper --rows 3");
    await insert("hive", "code, apiary_id, weight", "'A', 1, 5");
    await insert("hive", "code, apiary_id, weight", "'B', 2, 7");
    await project.rows("insert into hive_keepers (hive_id, keeper_id) values (1, 1), (1, 2)");
  }

  it("are never rows of a file that were deleted unseen", async () => {
    await begin();
    const before = await all();
    const refused = await run("seed Apiary --empty-first --accept-loss Apiary");
    expect(refused).toMatchObject({ status: 2 });
    expect(refused.said).toContain("2 rows loaded from files or the model of Apiary");
    const used = await run("seed Apiary --empty-first --accept-loss Apiary --yes");
    expect([used.status, used.said]).toEqual([
      1,
      expect.stringContaining("2 of Hive refer to rows of Apiary by apiary"),
    ]);
    expect(await all()).toEqual(before);
    expect((await run("seed Hive --empty-first")).said).toContain(
      "Hive has 2 rows entered or changed by users (1, 2)",
    );
    const said = await done("seed Hive --empty-first --accept-loss Hive --yes --rows 2");
    expect(said).toContain("Kept the rows that were not sample rows");
    expect((await all()).hive.map(({ code }) => code)).not.toContain("A");
    const [name = ""] = readdirSync(join(project.folder, "kept"));
    expect(await done("kept")).toMatch(
      /2 rows of hive, 2 rows of hive_keepers|2 rows of hive_keepers, 2 rows of hive/,
    );
    await project.rows("delete from hive_keepers where hive_id not in (1, 2)");
    await project.rows("delete from hive");
    await done(`restore ${name}`);
    expect(await all()).toEqual(before);
    expect(await done(`restore ${name}`)).toContain("Put back 0 rows of hive");
    expect(await all()).toEqual(before);
    expect((await run("restore nothing")).status).toBe(2);
  });

  it("hold what a file doesn't have any more", async () => {
    await begin();
    const before = await all();
    writeFileSync(join(project.folder, "data/Apiary.csv"), "name\nMill\n");
    const used = await run("import --yes --delete-missing");
    expect([used.status, used.said]).toEqual([
      1,
      expect.stringContaining("1 of Hive refer to rows of Apiary by apiary"),
    ]);
    await project.rows("update hive set apiary_id = 1");
    const said = await done("import --yes --delete-missing");
    expect(said).toContain("Kept the rows that were deleted");
    expect((await all()).apiary).toHaveLength(1);
    const [name = ""] = readdirSync(join(project.folder, "kept"));
    await done(`restore ${name}`);
    expect((await all()).apiary).toEqual(before.apiary);
  });

  it("come back when a migration is applied again, with whose they are", async () => {
    await begin();
    const before = await all();
    const refused = await run("rewind");
    expect(refused.status).toBe(2);
    expect(refused.said).toContain("2 rows of hive (entered or changed by users)");
    expect(refused.said).toContain("2 rows of apiary (loaded from files or the model)");
    expect(refused.said).toContain("3 rows of keeper (sample rows)");
    expect((await run("migrate --to 0")).status).toBe(2);
    expect(await all()).toEqual(before);
    await done("rewind --yes");
    await done("migrate");
    expect(await all()).toEqual(before);
    expect(await done("import --yes")).toContain("The database has everything");
    expect((await run("seed Keeper --empty-first")).said).toContain("would delete 3 sample rows");
    expect((await run("rewind")).said).toContain("2 rows of hive (entered");
    await done("migrate --to 0 --yes", "migrate");
    expect(await all()).toEqual(before);
  });

  it("are told where they can't come back, and can be loaded and restored", async () => {
    await begin();
    const before = await all();
    await done("rewind --yes");
    const script = join(project.folder, "migrations/0001-begin", `forward.${kind.kind}.sql`);
    appendFileSync(script, "\ncreate table by_hand (id integer);\n");
    const said = await done("migrate");
    const name = /levadura restore (\S+?)`/.exec(said)?.[1] ?? "";
    expect(said).toContain("the values kept when it was reverted aren't in the database again");
    expect((await all()).hive).toEqual([]);
    // What isn't there isn't known as loaded, nor as sample rows.
    await insert("keeper", "name", "'Mine'");
    expect((await run("seed Keeper --empty-first")).said).toContain("1 row entered or changed");
    await project.rows("delete from keeper");
    await done(`restore ${name}`);
    const [now, then] = [await all(), before];
    expect(now).toEqual(then);
  });

  it("know when they are gone, so that files are loaded again", async () => {
    await begin();
    await done("rewind --yes");
    rmSync(join(project.folder, "kept"), { recursive: true });
    await done("migrate");
    expect((await all()).apiary).toEqual([]);
    expect(await done("import --yes")).toContain("Loaded into the database");
    expect((await all()).apiary).toHaveLength(2);
  });

  it("hold what changes of the model can't take back: links, texts, choices, moved fields", async () => {
    project = projectOn(
      kind,
      model(
        "      apiary: one Apiary\n      weight: integer\n      colour: choice red | blue | green",
      ),
    );
    await done("prepare", "migrate");
    await insert("apiary", "name", "'Mill'");
    await insert("apiary", "name", "'Hill'");
    for (const [code, colour] of [
      ["A", "red"],
      ["B", "blue"],
      ["C", "green"],
    ]) {
      await insert("hive", "code, apiary_id, weight, colour", `'${code}', 1, 5, '${colour}'`);
    }
    const columns = "select id, code, weight, colour from hive order by id";
    const before = await project.rows(columns);
    write(
      model(
        "      apiary: many Apiary\n      weight: text ..20\n      colour: choice green was blue | red",
      ),
    );
    await done("prepare", "migrate");
    expect(
      (await project.rows("select colour from hive order by id")).map((row) => row.colour),
    ).toEqual(["red", "green", "green"]);
    await project.rows("insert into hive_apiary (hive_id, apiary_id) values (1, 2)");
    await project.rows("update hive set weight = 'heavy', version = 2 where id = 2");
    const links = "select * from hive_apiary order by hive_id, apiary_id";
    const now = { rows: await project.rows(columns), links: await project.rows(links) };
    const refused = await run("rewind");
    expect(refused.status).toBe(2);
    expect(refused.said).toContain("1 row of hive has several rows in hive_apiary");
    expect(refused.said).toContain("1 value of hive.weight no longer fits");
    await done("rewind --yes");
    expect(await project.rows(columns)).toEqual(
      before.map((row) => (row.code === "B" ? { ...row, weight: null } : row)),
    );
    await done("migrate");
    expect({ rows: await project.rows(columns), links: await project.rows(links) }).toEqual(now);
  });

  it("aren't asked for by a migration that failed: the one before isn't taken back unasked", async () => {
    project = projectOn(kind, model("      weight: text"));
    await done("prepare", "migrate");
    await insert("hive", "code, weight", "'A', 'heavy'");
    write(model("      weight: integer"));
    await done("prepare");
    expect((await run("migrate")).status).toBe(1);
    const refused = await run("rewind --yes");
    expect([refused.status, refused.said]).toEqual([
      1,
      expect.stringContaining("failed and isn't applied, so there is nothing of it to take back"),
    ]);
    expect(await project.rows("select code from hive")).toEqual([{ code: "A" }]);
    await done("rewind 1 --yes");
    const ledger = await project.rows("select name from levadura_ledger where failure is null");
    expect(ledger).toEqual([]);
    expect(readFileSync(join(project.folder, "model.yaml"), "utf8")).toContain("integer");
  });
});
