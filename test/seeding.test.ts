import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { demoModel } from "./support/demo.ts";
import { kinds } from "./support/kinds.ts";
import { levadura, projectWith, running } from "./support/program.ts";
import { bees, head, migrated, refused, seeded } from "./support/seeding.ts";
import { textOf, Visitor } from "./support/visitor.ts";

describe.each(kinds)("seeding over $kind", (kind) => {
  it("fills what is asked for, and goes on with it", async () => {
    const { folder, rows } = await migrated(kind, bees);
    const first = await seeded(folder);
    expect(first.rows).toEqual({ Keeper: 12, Hive: 20, Treatment: 60 });
    expect(first.skipped).toEqual(["Remedy"]);
    expect(
      JSON.parse(readFileSync(join(folder, ".levadura/generated/seeding.json"), "utf8")),
    ).toEqual({
      seed: 1,
      today: expect.stringMatching(/^\d{4}-\d\d-\d\d$/),
      rows: { Keeper: 12, Treatment: 60 },
    });
    const remedies = "select name, strength, since is null as undated, replaces_id from remedy";
    expect(await rows(`${remedies} order by id`)).toMatchObject([
      { name: "oxalic acid", strength: "strong", replaces_id: null },
      { name: "thymol", strength: "mild" },
    ]);
    const hives = await rows("select * from hive order by id");
    expect((await seeded(folder)).rows).toEqual({});
    expect((await seeded(folder, "hive", "--rows", "23")).rows).toEqual({ Hive: 3 });
    expect((await seeded(folder, "Hive", "--rows", "5")).rows).toEqual({});
    const shared = await seeded(folder, "--rows", "960");
    expect(shared.rows).toEqual({ Keeper: 111, Hive: 181, Treatment: 553 });
    expect(await rows("select id from remedy")).toHaveLength(2);
    expect((await seeded(folder, "Remedy")).rows).toEqual({ Remedy: 12 });
    const after = await rows<{ code: string }>("select * from hive where id < 24 order by id");
    expect(after.slice(0, 20)).toEqual(hives);
    expect(after.at(-1)?.code).toBe("B-23");
    expect((await rows("select * from hive_keepers")).length).toBeGreaterThan(10);
  });

  it("says what can't be made before the first row is, and writes nothing", async () => {
    const { folder, rows } = await migrated(
      kind,
      `${head}  Grade: {fields: {name: 'choice a | b | c, required, unique'}, seed: 10}
  Place: {fields: {number: 'integer 1..5, required, unique'}, seed: 100}
  Slot: {fields: {a: 'integer 1..3, required', b: 'choice x | y, required'}, unique: [a, b], seed: 7}
  Apiary: {fields: {name: text}, seed: 0}
  Hive: {fields: {apiary: 'one Apiary, required'}}
  Town: {fields: {name: text}}
`,
    );
    const { status, err } = await refused(folder);
    expect(status).toBe(1);
    for (const sentence of [
      "10 rows are wanted of Grade, and Grade.name is unique: 3 more are possible at most",
      "100 rows are wanted of Place, and Place.number is unique: 5 more are possible at most",
      "a and b are unique together: 6 more are possible at most",
      "1 row is wanted of Hive, each with one Apiary by apiary, and there is none",
      "ask for 3 rows at most",
    ])
      expect(err).toContain(sentence);
    expect(await rows("select id from town")).toEqual([]);
    expect(existsSync(join(folder, ".levadura/generated/seeding.json"))).toBe(false);
  });
});

describe("sample rows in files", () => {
  const demo = demoModel({ open: true });
  const read = (folder: string) =>
    (readdirSync(folder, { recursive: true }) as string[])
      .filter((name) => name !== "files")
      .sort()
      .map((name) => [name, readFileSync(join(folder, name), "base64")]);

  it("are the same bytes for the same number, without any database", async () => {
    const folder = projectWith(demo);
    await seeded(folder, "--to", "one", "--rows", "2000");
    await seeded(folder, "--to", "two", "--rows", "2000");
    expect(read(join(folder, "one"))).toEqual(read(join(folder, "two")));
    expect(readdirSync(join(folder, "one"))).toHaveLength(9);
    expect(existsSync(join(folder, "records.db"))).toBe(false);
    expect(await refused(folder, "--to", "one")).toEqual({
      status: 1,
      err: expect.stringContaining("is there already\n  name another folder"),
    });
    await seeded(folder, "--to", "json", "--as", "json");
    const hives = JSON.parse(readFileSync(join(folder, "json/Hive.json"), "utf8"));
    expect(hives[0]).toMatchObject({ id: 1, code: "B-01", keepers: expect.any(Array) });
  });

  it("are data files, which the model takes and the database", async () => {
    const folder = projectWith(demo);
    await seeded(folder, "--to", "data", "--rows", "3000");
    for (const command of ["prepare", "migrate"])
      expect((await levadura([command], folder)).status).toBe(0);
    const { status, out, err } = await levadura(["import", "--yes"], folder);
    expect([status, err]).toEqual([0, ""]);
    expect(out).toMatch(/Hives +245 new/);
  });
});

describe("what a model says of its rows", () => {
  it("is pointed at where it is wrong", async () => {
    const wrong = async (lines: string[]) => {
      const entities = lines.map(
        (line, at) =>
          `  Hive${at}:\n    fields: {code: "text, required, unique", place: integer, double: "= place * 2"}\n    ${line}\n`,
      );
      const folder = projectWith(`levadura: 1\nentities:\n${entities.join("")}`);
      const { status, err } = await levadura(["check"], folder);
      expect(status).toBe(1);
      return err;
    };
    const shape = await wrong([
      "seed: many",
      "seed: 9999999999",
      "seed: {row: 4}",
      "seed: {fixed: 4}",
      "seed: [{cod: A-1}]",
      "seed: [{code: A-1}, {place: 3}]",
      "seed: [{code: A-1, double: 4}]",
      "seed: [A-1]",
    ]);
    for (const message of [
      "5:11: error: neither a number of rows nor a file in data/",
      "8:11: error: more rows than can be made",
      "`row` is not known here",
      "expected a list of rows",
      "`Hive4` has no field `cod`",
      "this row has no `code`, which is required",
      "`double` is computed, and has no value of its own",
      "a row is a list of names with something behind each",
    ])
      expect(shape).toContain(message);
    const values = await wrong([
      "seed: [{code: A-1, place: many}]",
      "seed: [{code: A-1}, {code: a-1}]",
      "seed: 4",
    ]);
    expect(values).toContain("5:31: error: `many` is not a whole number");
    expect(values).toContain("8:32: error: the code `a-1` appears here twice");
  });

  it("is refused on a line that is mistyped", async () => {
    const folder = projectWith(bees);
    expect(await refused(folder, "Hiev")).toEqual({
      status: 2,
      err: "✗ the model has no entity Hiev\n  did you mean Hive?\n",
    });
    expect((await refused(folder, "--rows", "-1")).status).toBe(2);
    expect((await refused(folder, "--to", "x", "--as", "xml")).status).toBe(2);
    expect((await refused(folder, "--as", "json")).status).toBe(2);
    expect((await refused(folder, "--empty-first", "--to", "x")).status).toBe(2);
  });

  it("doesn't keep `rise` from beginning where no sample rows can be made", async () => {
    const folder = projectWith(
      `${bees}    rules:\n      - It is never right.: "= date is empty"\n`,
    );
    const rise = await running(["rise"], folder);
    try {
      expect(rise.said()).toContain("! No sample rows: nothing was written: row 1 of Treatment");
      const home = await new Visitor(rise.address).get("/");
      expect(textOf(home.html)).toMatch(/Remedies 2 .*Hives 0/);
    } finally {
      await rise.stop();
    }
  });

  it("is followed by `rise`: at the beginning, and when it is saved", async () => {
    const folder = projectWith(bees);
    const rise = await running(["rise"], folder);
    try {
      const visitor = new Visitor(rise.address);
      expect(textOf((await visitor.get("/")).html)).toMatch(/Remedies 2 .*Hives 20/);
      const path = join(folder, "model.yaml");
      const said = rise.said().length;
      writeFileSync(
        path,
        readFileSync(path, "utf8").replace(
          "    seed:\n",
          "    seed:\n      - {name: lactic acid}\n",
        ),
      );
      await rise.until("Reloaded", said);
      expect(rise.said().slice(said)).toContain("Loaded Remedies  3 rows: 1 new");
      expect(textOf((await visitor.get("/remedies")).html)).toContain("lactic acid");
    } finally {
      await rise.stop();
    }
  });
});
