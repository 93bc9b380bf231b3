import { readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { rowsOf } from "../support/database.ts";
import { levadura, projectWith, type Running, running } from "../support/program.ts";
import { inputValue, textOf, Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book}
# What we keep.
entities:
  Apiary: # where hives stand
    fields:
      name: text 2..60, required, unique
      town: text ..20
`;

describe("a project that has a model and rows", () => {
  let folder: string;
  let rise: Running;
  const data = (entity: string) => join(folder, "data", `${entity}.csv`);

  beforeAll(async () => {
    folder = projectWith(model, true);
    writeFileSync(
      join(folder, "apiaries.csv"),
      "Name,Town,Owner\nLinden,Alder,Ana\nMill,A town whose name is long,Ben\nX,Fern,\n",
    );
    writeFileSync(join(folder, "hives.csv"), "Code,Apiary,Weight\nB-1,Linden,3\nB-2,mill,4\n");
    const run = await levadura(["import", "apiaries.csv", "hives.csv", "--yes", "--json"], folder);
    expect(run.status, run.err).toBe(0);
    const [apiaries] = JSON.parse(run.out).sheets;
    expect(apiaries).toMatchObject({ entity: "Apiary", rows: 3, kept: 2, setAside: 1 });
    expect(apiaries.around).toContain(
      "column Owner: Apiary has no such field in the model; add it there to take it",
    );
    rise = await running(["rise"], folder);
  });
  afterAll(async () => {
    await rise.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  it("keeps its fields, their ranges and the model's comments, and gets the new entity", () => {
    const text = readFileSync(join(folder, "model.yaml"), "utf8");
    expect(text.startsWith(model.trimEnd())).toBe(true);
    expect(text).toContain(
      '  Hive:\n    title: "{code}"\n    fields:\n      code: text ..40, required, unique\n      apiary: one Apiary, required\n',
    );
    const aside = readFileSync(join(folder, "data/set-aside/apiaries.csv"), "utf8");
    expect(aside).toContain(
      'apiaries.csv,,B3,A town whose name is long,"25 characters, where 20 fit"',
    );
    expect(aside).toContain(
      'apiaries.csv,,row 4,"X,Fern","Name is required: ""X"" is 1 character, where 2 are the least"',
    );
    expect(aside).not.toContain("Ana");
  });

  it("shows the rows, and takes a data file that was changed at the next rise", async () => {
    const visitor = new Visitor(rise.address);
    expect(textOf((await visitor.get("/hives")).html)).toContain("2 hives");
    const form = (await visitor.get("/apiaries/1/edit")).html;
    await visitor.post("/apiaries/1/edit", {
      _version: inputValue(form, "_version") ?? "",
      name: "Linden",
      town: "Elder",
    });
    await rise.stop();
    writeFileSync(data("Apiary"), "name,town\nLinden,Birch\nMill,Stone\nQuarry,Fern\n");
    rise = await running(["rise"], folder);
    expect(rise.said()).toContain(
      "Loaded Apiaries  3 rows: 1 new, 1 changed, 1 kept as changed in the application",
    );
    expect(rise.said()).toContain(
      'Apiaries, Linden: town stays "Elder", because somebody changed it; the file has "Birch"',
    );
    expect(rise.said()).not.toContain("Loaded Hives");
    const towns = rowsOf(join(folder, "records.db"), "select town from apiary order by id").map(
      ({ town }) => town,
    );
    expect(towns).toEqual(["Elder", "Stone", "Fern"]);
  });

  it("doesn't rise over a data file that is wrong, and says where", async () => {
    await rise.stop();
    writeFileSync(data("Hive"), "code,apiary,weight\nB-1,Linden,much\n");
    const { status, err } = await levadura(["rise"], folder);
    expect([status, err]).toEqual([
      1,
      expect.stringContaining('data/Hive.csv, cell C2: "much" is not a whole number'),
    ]);
    rmSync(data("Hive"));
    rise = await running(["rise"], folder);
    expect(rowsOf(join(folder, "records.db"), "select count(*) as hives from hive")).toEqual([
      { hives: 2 },
    ]);
  });
});

it("a model with errors is corrected before anything is imported into it", async () => {
  const folder = projectWith(model.replace("text ..20", "txt ..20"));
  writeFileSync(join(folder, "hives.csv"), "Code,Weight\nB-1,3\nB-2,4\n");
  const { status, err } = await levadura(["import", "hives.csv", "--yes"], folder);
  expect(status).toBe(1);
  expect(err).toMatch(/model\.yaml:8:13: error: there is no type `txt`/);
  expect(err).toContain("`levadura check` shows it too");
});
