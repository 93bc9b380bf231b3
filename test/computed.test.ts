import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn } from "./support/kinds.ts";
import { levadura, projectWith, type Running, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, timezone: UTC, language: en-GB, currency: EUR, database: sqlite}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text, required
      installed: date
      removed: date
      honey: {value: "= sum(harvests.weight)", unit: kg, label: Honey in all}
      best: "= largest(harvests.worth)"
      share: {value: "= honey / 3", places: 2}
      label: "= upper(code) & ', ' & if(removed is empty, 'here', 'gone')"
      days: "= removed - installed"
      heavy: "= honey >= 10"
      arrivals: "= count(moves via to, moves via to.day is not empty)"
    rules:
      - It has to be there before it goes.: "= removed is empty or removed >= installed"
      - No more than two harvests a hive.: "= count(harvests) <= 2"
    columns: [code, honey, label, heavy]
    sort: honey descending
  Harvest:
    fields:
      hive: one Hive, required
      weight: decimal 0..60, required, places 1
      price: money
      worth: "= weight * price"
      town: "= hive.code"
    rules:
      - A hive gives no honey after it went.: "= hive.removed is empty"
  Move:
    fields: {from: "one Hive, required", to: one Hive, day: date}
`;

describe.each(kinds)("computed fields over $kind", (kind) => {
  const { folder, rows, remove } = projectOn(kind, model);
  let server: Running;
  let visitor: Visitor;

  beforeAll(async () => {
    for (const command of ["prepare", "migrate", "build"])
      expect((await levadura([command], folder)).status).toBe(0);
    server = await running(["serve"], folder);
    visitor = new Visitor(server.address);
    for (const code of ["álamo", "b", "c"]) await visitor.post("/hives/new", { code });
    for (const [hive_id, weight, price] of [
      ["2", "10.1", "4.15"],
      ["2", "0.2", ""],
      ["1", "3.3", "9.99"],
    ] as const)
      expect((await visitor.post("/harvests/new", { hive_id, weight, price })).status).toBe(200);
  });
  afterAll(async () => {
    await server.stop();
    await remove();
  });

  const listed = async (address: string) =>
    [
      ...(await visitor.get(address)).html.matchAll(
        /<tr>(?:<td class="chosen">.*?<\/td>)?<td>(.*?)<\/tr>/gs,
      ),
    ].map((row) =>
      textOf(row[1] ?? "")
        .replace(/\s+/g, " ")
        .trim(),
    );

  it("count the records that refer by one of two fields", async () => {
    for (const day of ["2026-05-03", ""]) {
      await visitor.post("/moves/new", { from_id: "1", to_id: "3", day });
    }
    for (const [id, arrivals] of [
      [1, 0],
      [3, 1],
    ]) {
      const { html } = await visitor.get(`/hives/${id}`);
      expect(textOf(html)).toContain(`Arrivals ${arrivals}`);
    }
  });

  it("are listed, and sorted by like any other", async () => {
    const found = await listed("/hives");
    expect(found[0]).toMatch(/^b 10\.3 kg B, here Yes/);
    expect(found[1]).toMatch(/^álamo 3\.3 kg ÁLAMO, here No/);
    expect(found[2]).toMatch(/^c 0 kg C, here No/);
    const codes = async (sort: string) =>
      (await listed(`/hives?sort=${sort}`)).map((row) => row.split(" ")[0]);
    expect(await codes("honey")).toEqual(["c", "álamo", "b"]);
    expect(await codes("label")).toEqual(["álamo", "b", "c"]);
    expect(await codes("-label")).toEqual(["c", "b", "álamo"]);
  });

  it("are searched where they are texts", async () => {
    const found = await listed("/hives?search=alamo,+here");
    expect(found.map((row) => row.split(" ")[0])).toEqual(["álamo"]);
    expect(await listed("/hives?search=gone")).toEqual([]);
  });

  it("are shown with the record, and can't be typed in", async () => {
    const { html } = await visitor.get("/hives/2");
    const text = textOf(html).replace(/\s+/g, " ");
    for (const shown of ["Honey in all 10.3 kg", "Best €41.92", "Share 3.43", "Label B, here"]) {
      expect(text).toContain(shown);
    }
    const form = await visitor.get("/hives/2/edit");
    expect(form.html).not.toContain('name="honey"');
  });

  it("follow what they are computed from, at once", async () => {
    await visitor.post("/hives/new", { code: "d", installed: "2026-01-01", removed: "2026-03-02" });
    const [{ id } = { id: 0 }] = await rows<{ id: number }>("select id from hive where code = 'd'");
    const shown = async () => textOf((await visitor.get(`/hives/${id}`)).html).replace(/\s+/g, " ");
    expect(await shown()).toContain("Days 60 days");
    expect(await shown()).toContain("Label D, gone");
  });

  it("has rules that are told where they don't hold, and nothing is saved", async () => {
    const before = await rows("select id from hive");
    const early = await visitor.post("/hives/new", {
      code: "e",
      installed: "2026-05-03",
      removed: "2026-05-01",
    });
    expect(early.status).toBe(422);
    expect(textOf(early.html)).toContain("Removed: It has to be there before it goes.");
    expect(await rows("select id from hive")).toEqual(before);
    const gone = before.length;
    const late = await visitor.post("/harvests/new", { hive_id: String(gone), weight: "1" });
    expect(late.status).toBe(422);
    expect(textOf(late.html)).toContain("A hive gives no honey after it went.");
    expect(await rows("select id from harvest")).toHaveLength(3);
  });

  it("hold when data files are loaded: nothing of them is kept", async () => {
    const before = await rows("select id from hive");
    mkdirSync(join(folder, "data"), { recursive: true });
    const load = async (removed: string) => {
      const text = `code,installed,removed\nX1,2026-02-01,${removed}\nX2,2026-02-01,\n`;
      writeFileSync(join(folder, "data", "Hive.csv"), text);
      return levadura(["import", "--yes"], folder);
    };
    const refused = await load("2026-01-01");
    expect(refused.status).toBe(1);
    expect(refused.err).toContain(
      "data/Hive.csv, row 2: it would break a rule: It has to be there before it goes.",
    );
    expect(await rows("select id from hive")).toEqual(before);
    expect((await load("2026-03-01")).status).toBe(0);
    expect(await rows("select id from hive")).toHaveLength(before.length + 2);
  });
});

describe("a sheet with a column that the model computes", () => {
  it("is taken without it, and says so", async () => {
    const folder = projectWith(
      'levadura: 1\nentities:\n  Harvest:\n    fields:\n      code: text, required, unique\n      weight: decimal\n      double: "= weight * 2"\n',
      true,
    );
    writeFileSync(join(folder, "harvest.csv"), "Code,Weight,Double\nA1,2.5,5\n");
    const { status, out } = await levadura(["import", "harvest.csv", "--yes"], folder);
    expect(status).toBe(0);
    expect(out).toContain("column Double: Harvest.double is computed by the model");
    expect(readFileSync(join(folder, "data", "Harvest.csv"), "utf8")).toBe("code,weight\nA1,2.5\n");
  });
});

describe("rules", () => {
  it("are pointed at where they are no conditions", async () => {
    const rules = (text: string) =>
      projectWith(
        `levadura: 1\nentities:\n  Hive:\n    fields: {code: text, count: integer}\n    rules:\n      - ${text}\n`,
      );
    for (const [text, message] of [
      ['So it is.: "= count + 1"', "6:20: error: this gives a value, and a condition was expected"],
      ['So it is.: "= count > cod"', "6:31: error: Hive has no field `cod`"],
      ["So it is.: count > 1", "a condition is a formula, and begins with `=`"],
      ["count > 1", "a rule has a sentence and a condition"],
    ] as const) {
      const { status, err } = await levadura(["check"], rules(text));
      expect(status).toBe(1);
      expect(err).toContain(message);
    }
  });

  it("hold for all sample rows, or nothing is kept", async () => {
    const folder = projectWith(model, true);
    for (const command of ["prepare", "migrate"]) await levadura([command], folder);
    const refused = await levadura(["seed"], folder);
    expect(refused.status).toBe(1);
    expect(refused.err).toContain("would break a rule: No more than two harvests a hive.");
    const none = projectWith(model.replace("count(harvests) <= 2", "code = 'never'"), true);
    for (const command of ["prepare", "migrate"]) await levadura([command], none);
    expect((await levadura(["seed"], none)).err).toContain(
      "row 1 of Hive was tried 400 times, and always broke a rule",
    );
    const able = projectWith(
      model
        .replace("count(harvests) <= 2", "installed is empty or installed > today - 200 days")
        .replace("= hive.removed is empty", "= weight < 30"),
      true,
    );
    for (const command of ["prepare", "migrate"]) await levadura([command], able);
    expect((await levadura(["seed"], able)).status).toBe(0);
  });
});
