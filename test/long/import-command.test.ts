import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { rowsOf } from "../support/database.ts";
import {
  levadura,
  type Running,
  repository,
  running,
  temporaryFolder,
} from "../support/program.ts";
import { inputValue, textOf, Visitor } from "../support/visitor.ts";

const workbook = join(repository, "demo", "hive-book.xlsx");
const equipment = join(repository, "demo", "equipment.csv");
const demoPlan = join(repository, "demo", "hive-book.plan.yaml");

/** The lines of a data file, the header apart. */
const dataOf = (folder: string, entity: string) =>
  readFileSync(join(folder, "data", `${entity}.csv`), "utf8")
    .trimEnd()
    .split("\n")
    .slice(1);

/** Writes files into a new folder. */
function folderWith(files: Record<string, string | Buffer>): string {
  const folder = temporaryFolder();
  for (const [name, content] of Object.entries(files)) writeFileSync(join(folder, name), content);
  return folder;
}

describe("the demo's workbook", () => {
  it("is shown, with what is odd in it cell by cell, before anything is written", async () => {
    const folder = temporaryFolder();
    const { status, out, err } = await levadura(["import", workbook, equipment], folder);
    expect([status, err]).toEqual([5, expect.stringContaining("Nothing is written yet")]);
    for (const said of [
      /sheet Apiaries becomes Apiary/,
      /Elevation \(m\) +elevation +integer 0\.\., required, unit m/,
      /Care Keepers +care_keepers +many Keeper/,
      /B14 "Sunny Slpoe" not among the apiaries, perhaps "Sunny Slope"/,
      /Amount: computed in every row as weight \* price_per_kg/,
      /the sheet is hidden/,
      /11 rows = 10 kept \+ 1 set aside/,
      /Brood frames +brood_frames +integer 0\.\., unit frames/,
      /1 row of totals: row 134, "Average, 7.9"/,
      /"1\.120 m" → 1120/,
      /Open questions; the first answer is taken\n\? Apiaries, Opened: Which is first/,
      /2 +month first +"06\/05\/2017" → 2017-06-05/,
      /F81 +"#N\/A" +in error/,
    ]) {
      expect(out).toMatch(said);
    }
    expect(readdirSync(folder)).toEqual([]);
  });

  it("is written on a yes: model, clean rows, what was set aside, and the plan", async () => {
    const folder = temporaryFolder();
    const { status, out } = await levadura(
      ["import", workbook, equipment, "--yes", "--json"],
      folder,
    );
    expect(status).toBe(0);
    const said = JSON.parse(out);
    expect(said.written).toEqual(
      expect.arrayContaining(["model.yaml", "data/Hive.csv", "imports/hive-book.yaml"]),
    );
    for (const { rows, kept, setAside } of said.sheets) expect(rows).toBe(kept + setAside);
    expect((await levadura(["check"], folder)).status).toBe(0);
    expect(dataOf(folder, "Apiary")[4]).toMatch(
      /^Heather Top,Stonewick,2019-06-22,1120,yes,11:00,,"Gate/,
    );
    expect(dataOf(folder, "Equipment")[1]).toMatch(
      /^E-002,suit,[^,]*,2026-03-05,2025-09-13,337\.5,good,$/,
    );
    const aside = readFileSync(join(folder, "data/set-aside/hive-book.csv"), "utf8");
    expect(aside).toContain(
      "hive-book.xlsx,Keepers,B8,greta.holm at example.org,not an email address",
    );
    expect(aside.trim().split("\n").length - 1).toBe(said.setAside);
  });

  it("comes into the demo's own model by its plan, every lookup found", async () => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, "model.yaml"), readFileSync(join(repository, "demo", "model.yaml")));
    const { status, out } = await levadura(
      ["import", workbook, equipment, "--plan", demoPlan, "--yes"],
      folder,
    );
    expect(status).toBe(0);
    expect(out).toContain("sheet Lists: the plan says nothing of it");
    expect(dataOf(folder, "Hive").join("\n")).toMatch(/^B-12,Sunny Slope,/m);
    expect(
      readFileSync(join(folder, "data/set-aside/hive-book.csv"), "utf8")
        .split("\n")
        .filter((line) => line.includes("there is no")),
    ).toEqual([
      'hive-book.xlsx,Queens,B11,B-99,"there is no Hive ""B-99""; the nearest is ""B-09"""',
    ]);
  });
});

describe("files of every kind", () => {
  const expected = ["A-1,Año,1.5", "A-2,Muñoz,1234.5", "A-3,Peña,3"];
  const rows = [
    ["code", "name", "weight"],
    ["A-1", "Año", "1,5"],
    ["A-2", "Muñoz", "1.234,5"],
    ["A-3", "Peña", "3"],
  ];
  const text = (delimiter: string, end = "\n") =>
    rows.map((row) => row.join(delimiter) + end).join("");
  it.each<[string, string | Buffer]>([
    ["semicolons.csv", text(";")],
    ["tabs.tsv", text("\t")],
    ["bars.csv", text("|", "\r\n")],
    ["mac.csv", text(";", "\r")],
    ["latin.csv", Buffer.from(text(";"), "latin1")],
    ["mark.csv", `\uFEFF${text(";")}`],
    ["utf16.csv", Buffer.from(`\uFEFF${text("\t")}`, "utf16le")],
    ["hint.csv", `sep=;\n${text(";")}`],
    ["quoted.csv", rows.map((row) => `${row.map((cell) => `"${cell}"`).join(",")}\n`).join("")],
    ["single.csv", rows.map((row) => `${row.map((cell) => `'${cell}'`).join(",")}\n`).join("")],
  ])("such as %s are read", async (name, content) => {
    const folder = folderWith({ [name]: content });
    const { status } = await levadura(["import", name, "--name", "Bees", "--yes"], folder);
    expect(status).toBe(0);
    const [file] = readdirSync(join(folder, "data"));
    expect(
      readFileSync(join(folder, "data", file ?? ""), "utf8")
        .trimEnd()
        .split("\n")
        .slice(1),
    ).toEqual(expected);
  });

  it("such as cells pasted on standard input are read", async () => {
    const folder = temporaryFolder();
    const typed = "Code\tRoof\nB-1\t#ffcc00\nB-2\t#336699\n";
    expect(
      (await levadura(["import", "-", "--yes", "--name", "Bees"], folder, { typed })).status,
    ).toBe(0);
    expect(dataOf(folder, "Record")).toEqual(["B-1,#ffcc00", "B-2,#336699"]);
    // What is in them names them, where it can.
    const told = await levadura(["import", "-"], temporaryFolder(), { typed });
    expect(told.out).toContain("nothing says what the rows are; --into NAME names them");
    const people = await levadura(["import", "-"], temporaryFolder(), {
      typed: "Name\tRoof\nAda Bell\t#ffcc00\nTom Reed\t#336699\n",
    });
    expect(people.out).toContain("becomes Person");
  });
});

describe("a bad file", () => {
  const many = Array.from({ length: 50_000 }, (_, at) => `A-${at},name ${at}\n`).join("");
  it.each<[string, string | Buffer | undefined, number, RegExp]>([
    [
      "picture.xlsx",
      Buffer.from("ffd8ffe000104a46494600010101", "hex"),
      1,
      /holds no table: it is a JPEG picture/,
    ],
    [
      "old.xls",
      Buffer.from(`d0cf11e0a1b11ae1${"00".repeat(600)}`, "hex"),
      1,
      /protected by a password, or of a kind/,
    ],
    ["broken.xlsx", Buffer.from("504b030414000000", "hex"), 1, /can't be read as a workbook/],
    ["empty.csv", "", 1, /is empty/],
    ["blank.csv", "\n \n", 1, /no rows below a header/],
    ["header.csv", "code,name\n", 1, /no rows below a header/],
    [
      "wide.csv",
      `${Array.from({ length: 16_384 }, (_, at) => `c${at}`).join(",")}\n${"1,".repeat(16_383)}1\n`,
      1,
      /16,384 columns/,
    ],
    [
      "quote.csv",
      `code,name\n${many}A-x,"open\n${many}`,
      1,
      /quote\.csv, row 50002: a quote is opened and never closed/,
    ],
    [
      "binary.csv",
      Buffer.from(Array.from({ length: 4000 }, (_, at) => (at * 7) % 32)),
      1,
      /no text, and no workbook/,
    ],
    ["missing.csv", undefined, 2, /it is not there/],
  ])("such as %s is refused, and nothing written", async (name, content, status, message) => {
    const folder = folderWith(content === undefined ? {} : { [name]: content });
    const before = readdirSync(folder);
    const run = await levadura(["import", name, "--yes"], folder);
    expect(run.err).toMatch(message);
    expect(run.err).not.toMatch(/\n\s+at /);
    expect(run.status).toBe(status);
    expect(readdirSync(folder)).toEqual(before);
  });

  it("of untidy rows loses nothing", async () => {
    const folder = folderWith({
      "untidy.csv": `Code,Notes,Notes,\nA-1,x,y,z\nA-2,${"p".repeat(1_000_001)}\nA-3,on\0e,q,r,extra,more\n`,
    });
    const { status, out } = await levadura(["import", "untidy.csv", "--yes", "--json"], folder);
    expect(status).toBe(0);
    expect(JSON.parse(out).sheets[0]).toMatchObject({ rows: 3, kept: 3, setAside: 0 });
    const aside = readFileSync(join(folder, "data/set-aside/untidy.csv"), "utf8");
    expect(aside).toContain(",B3,");
    expect(aside).toContain("1000001 characters, where 1000000 fit");
    expect(aside).toContain(",B4,on\0e,holds a character that can't be kept (NUL)");
    expect(dataOf(folder, "Untidy").length).toBe(3);
  });
});

describe("a plan", () => {
  const flat = `Hive;Apiary;Town;Weight\n${Array.from({ length: 24 }, (_, at) => `B-${at};${["Linden", "Mill", "Quarry"][at % 3]};${at === 9 ? "Elder" : ["Alder", "Alder", "Stone"][at % 3]};${at},5\n`).join("")}`;

  it("is written, corrected line by line, applied, and applied to the next file", async () => {
    const folder = folderWith({ "hives.csv": flat, "december.csv": flat.replaceAll("B-", "C-") });
    await levadura(["import", "hives.csv", "--write-plan", "plan.yaml"], folder);
    expect(readdirSync(folder).sort()).toEqual(["december.csv", "hives.csv", "plan.yaml"]);
    const path = join(folder, "plan.yaml");
    const plan = readFileSync(path, "utf8")
      .replace("do: no", "do: yes")
      .replace("      name:", "      code:")
      .replace('"{name}"', '"{code}"');
    writeFileSync(path, plan);
    const { status, out } = await levadura(
      ["import", "hives.csv", "--plan", "plan.yaml", "--yes"],
      folder,
    );
    expect(out).toMatch(/Town +town +a field of Apiary/);
    expect(status).toBe(0);
    expect(dataOf(folder, "Apiary")).toEqual(["Linden,Alder", "Mill,Alder", "Quarry,Stone"]);
    expect(dataOf(folder, "Hive")[1]).toBe("B-1,Mill,1.5");
    expect(readFileSync(join(folder, "data/set-aside/hives.csv"), "utf8")).toContain(
      'C11,Elder,"""Linden"" has ""Alder"" here, since row 2"',
    );
    expect(
      (await levadura(["import", "december.csv", "--plan", "plan.yaml", "--yes"], folder)).status,
    ).toBe(0);
    expect(dataOf(folder, "Hive").length).toBe(48);
  });

  it("that is wrong is pointed at; one that is there is not overwritten", async () => {
    const folder = folderWith({ "hives.csv": flat });
    await levadura(["import", "hives.csv", "--write-plan", "plan.yaml"], folder);
    const again = await levadura(["import", "hives.csv", "--write-plan", "plan.yaml"], folder);
    expect([again.status, again.err]).toEqual([
      2,
      expect.stringContaining("there is a plan.yaml already"),
    ]);
    const path = join(folder, "plan.yaml");
    const plan = readFileSync(path, "utf8");
    for (const [from, to, message] of [
      [
        "is: decimal",
        "is: decimel",
        /plan\.yaml:\d+:\d+: error: there is no type `decimel`[\s\S]*did you mean `decimal`/,
      ],
      ["column: Weight", "column: Wait", /has no column `Wait`/],
      ["header: 1", "heading: 1", /there is no `heading` here/],
      [
        "file: hives.csv",
        "file: hives.csv\n    sheet: May",
        /the plan takes hives\.csv, sheet May/,
      ],
    ] as const) {
      writeFileSync(path, plan.replace(from, to));
      const run = await levadura(["import", "hives.csv", "--plan", "plan.yaml", "--yes"], folder);
      expect(run.err).toMatch(message);
      expect(run.status).toBe(1);
    }
    expect(readdirSync(folder).sort()).toEqual(["hives.csv", "plan.yaml"]);
  });

  it("splits off into an entity that has a sheet of its own, without doubles", async () => {
    const folder = folderWith({
      "hives.csv": flat,
      "apiaries.csv": "Name,Owner\nLinden,Ana\nMill,Ben\n",
    });
    const files = ["hives.csv", "apiaries.csv"];
    await levadura(["import", "hives.csv", "--write-plan", "one.yaml"], folder);
    const split = /^ {6}Apiary: \{.*\}$/m.exec(readFileSync(join(folder, "one.yaml"), "utf8"))?.[0];
    expect(split).toContain("do: no");
    const one = readFileSync(join(folder, "one.yaml"), "utf8").replace("do: no", "do: yes");
    const other =
      '  - file: apiaries.csv\n    text: { delimiter: "," }\n    entity: Apiary\n    header: 1\n    rows: 2..\n    fields:\n      name: { column: Name, is: "text, required, unique" }\n      owner: { column: Owner, is: text }\n';
    writeFileSync(join(folder, "plan.yaml"), one + other);
    const { status, err } = await levadura(
      ["import", ...files, "--plan", "plan.yaml", "--yes"],
      folder,
    );
    expect(err).toBe("");
    expect(status).toBe(0);
    expect(dataOf(folder, "Apiary")).toEqual(["Linden,,Ana", "Mill,,Ben", "Quarry,Stone,"]);
    const aside = readFileSync(join(folder, "data/set-aside/hives.csv"), "utf8");
    expect(aside).toContain('C2,Alder,"""Linden"" has a row of its own in another sheet"');
  });

  it("with a field that the model has lost is refused", async () => {
    const folder = folderWith({ "hives.csv": flat });
    await levadura(["import", "hives.csv", "--yes"], folder);
    const path = join(folder, "model.yaml");
    writeFileSync(path, readFileSync(path, "utf8").replace("      weight:", "      mass:"));
    const again = ["import", "hives.csv", "--plan", "imports/hives.yaml", "--yes"];
    const { status, err } = await levadura(again, folder);
    expect(err).toMatch(/the plan has a field `weight`, which Hive doesn't have in the model/);
    expect(status).toBe(1);
  });
});

describe("a second import", () => {
  const files = (hives: string, apiaries = "Linden,Alder\nMill,Stone\n") => ({
    "hives.csv": `Code,Apiary,Weight,Keepers\n${hives}`,
    "apiaries.csv": `Name,Town\n${apiaries}`,
    "keepers.csv": "Name,Mentor\nAna,\nBen,Ana\nCid,Ben\n",
  });
  const names = ["hives.csv", "apiaries.csv", "keepers.csv"];
  let folder: string;
  const hives = () =>
    rowsOf(
      join(folder, "records.db"),
      "select h.code, a.name as apiary, h.weight, (select group_concat(k.name, ' ') from hive_keepers l join keeper k on k.id = l.keeper_id where l.hive_id = h.id) as keepers from hive h left join apiary a on a.id = h.apiary_id order by h.code",
    ).map((row) => Object.values(row).join(","));

  beforeAll(async () => {
    folder = temporaryFolder(true);
    for (const [name, text] of Object.entries(
      files("B-1,Linden,10.5,Ana; Ben\nB-2,Mill,11,Ana\nB-3,Linden,9,Ben\n"),
    ))
      writeFileSync(join(folder, name), text);
    for (const args of [
      ["import", ...names, "--yes", "--name", "Bees"],
      ["prepare"],
      ["migrate"],
      ["import", "--yes"],
    ]) {
      const run = await levadura(args, folder);
      expect(run.status, run.err).toBe(0);
    }
  });
  afterAll(() => rmSync(folder, { recursive: true, force: true }));

  it("finds the rows as they were loaded: references, their own kind and lists settled", () => {
    expect(hives()).toEqual(["B-1,Linden,10.5,Ana Ben", "B-2,Mill,11,Ana", "B-3,Linden,9,Ben"]);
    expect(
      rowsOf(
        join(folder, "records.db"),
        "select k.name, m.name as mentor from keeper k left join keeper m on m.id = k.mentor_id order by 1",
      ),
    ).toEqual([
      { name: "Ana", mentor: null },
      { name: "Ben", mentor: "Ana" },
      { name: "Cid", mentor: "Ben" },
    ]);
  });

  it("shows what is new, changed, the same and missing, keeps what was changed in the application, deletes nothing", async () => {
    const app = await running(["rise", "--port", "3871"], folder);
    const visitor = new Visitor(app.address);
    const form = (await visitor.get("/hives/2/edit")).html;
    const saved = await visitor.post("/hives/2/edit", {
      _version: inputValue(form, "_version") ?? "",
      code: "B-2",
      apiary_id: "2",
      weight: "12",
      keepers: "1",
    });
    expect(textOf(saved.html)).toContain("Hive saved.");
    await app.stop();
    for (const [name, text] of Object.entries(
      files("B-1,Linden,10.5,Ana; Ben; Cid\nB-2,Mill,11.5,Ana\nB-4,Mill,7,\n", "Linden,Alder\n"),
    ))
      writeFileSync(join(folder, name), text);
    const looked = await levadura(["import", ...names, "--json"], folder);
    const counts = (out: string) =>
      JSON.parse(out).loaded.find(({ entity }: { entity: string }) => entity === "Hive");
    const expected = { added: 1, changed: 1, same: 0, missing: 1, deleted: 0, conflicts: 1 };
    expect(counts(looked.out)).toMatchObject(expected);
    expect(hives().length).toBe(3);
    const done = await levadura(["import", ...names, "--json", "--yes"], folder);
    expect(counts(done.out)).toMatchObject({
      ...expected,
      firstConflicts: [{ key: "B-2", column: "weight", stored: "12", incoming: "11.5" }],
    });
    expect(hives()).toEqual([
      "B-1,Linden,10.5,Ana Ben Cid",
      "B-2,Mill,12,Ana",
      "B-3,Linden,9,Ben",
      "B-4,Mill,7,",
    ]);
  });

  it("deletes what is missing when told to, but not what was changed in the application", async () => {
    writeFileSync(join(folder, "hives.csv"), files("B-1,Linden,10.5,Ana; Ben; Cid\n")["hives.csv"]);
    await levadura(["import", "hives.csv", "--yes", "--delete-missing"], folder);
    expect(hives()).toEqual(["B-1,Linden,10.5,Ana Ben Cid", "B-2,Mill,12,Ana"]);
  });

  it("of a file that was edited by hand names the cell, and loads nothing", async () => {
    const before = hives();
    const data = join(folder, "data", "Hive.csv");
    writeFileSync(data, `${readFileSync(data, "utf8")}B-9,Linden,heavy,\n`);
    const wrong = await levadura(["import", "--yes"], folder);
    expect([wrong.status, wrong.err]).toEqual([
      1,
      expect.stringMatching(/data\/Hive\.csv, cell C3: "heavy" is not a number/),
    ]);
    writeFileSync(data, "code,apiary\nB-9,Nowhere\n");
    const lost = await levadura(["import", "--yes"], folder);
    expect([lost.status, lost.err]).toEqual([
      1,
      expect.stringContaining("refer in apiary_id to a row of apiary that is not there"),
    ]);
    writeFileSync(data, "code,apiarys\nB-9,Linden\n");
    expect((await levadura(["import", "--yes"], folder)).err).toContain("did you mean `apiary`?");
    expect(hives()).toEqual(before);
  });
});

describe("rise", () => {
  it("opens an application over the imported rows, and invents none beside them", async () => {
    const folder = temporaryFolder(true);
    mkdirSync(folder, { recursive: true });
    await levadura(["import", workbook, "--yes"], folder);
    let rise: Running | undefined;
    try {
      rise = await running(["rise", "--port", "3872"], folder);
      const page = textOf((await new Visitor(rise.address).get("/hives")).html);
      expect(page).toContain("34 hives");
      expect(page).toContain("Linden Terrace");
      expect(rise.said()).toContain("Loaded Hives  34 rows");
      expect(rise.said()).not.toContain("Seeded");
      await rise.stop();
      rise = await running(["rise", "--port", "3872"], folder);
      expect(rise.said()).not.toContain("Loaded");
    } finally {
      await rise?.stop();
      rmSync(folder, { recursive: true, force: true });
    }
  });
});
