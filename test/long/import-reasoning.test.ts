import { existsSync, readFileSync, rmSync, statSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { type CellObject, utils, write } from "@e965/xlsx";
import iconv from "iconv-lite";
import { describe, expect, it } from "vitest";
import { byteEncodings, likeliest } from "../../src/core/tabular/encodings.ts";
import { unitFactor } from "../../src/core/tabular/units.ts";
import { rowsOf } from "../support/database.ts";
import { levadura, temporaryFolder } from "../support/program.ts";

interface Field {
  name: string;
  column: string;
  is?: string;
  guess?: string;
  setAside?: { count: number; cells: { address: string; near?: string }[] };
  values?: { examples: object[]; smallest?: string; largest?: string; sum?: string };
}
interface Sheet {
  entity: string;
  rows: number;
  kept: number;
  setAside: number;
  around: string[];
  fields: Field[];
}

/** What is proposed for files of these lines, in a new folder or one that is there. */
async function preview(files: Record<string, string>, options: string[] = [], there?: string) {
  const folder = there ?? temporaryFolder();
  for (const [name, text] of Object.entries(files)) writeFileSync(join(folder, name), text);
  const names = Object.keys(files);
  const { out, err, status } = await levadura(["import", ...names, "--json", ...options], folder);
  const said = JSON.parse(out || "{}") as { sheets?: Sheet[] };
  const sheets = said.sheets ?? [];
  const field = (name: string) =>
    sheets.flatMap(({ fields }) => fields).find((f) => f.name === name);
  return { folder, status, sheets, err: err + out, field };
}

describe("totals", () => {
  it("are rows that are sums of those above; a payer called Total stays", async () => {
    const { sheets } = await preview({
      "dues.csv":
        "Payer,Amount,Share\nTotal,10,1\nAda,20.50,2\nBo,30,3\nSubtotal,60.50,6\nCy,5,1\nTotal,65.50,7\nAverage,16.375,1.75\n",
    });
    expect(sheets[0]).toMatchObject({ rows: 7, kept: 4 });
    expect(sheets[0]?.around.join()).toContain("3 rows of totals: row 5");
  });

  it("may be averages of the cells that are numbers", async () => {
    const { sheets, field } = await preview({
      "a.csv":
        "Day,Frames\n2026-01-02,8\n2026-01-03,many\n2026-01-04,7\n2026-01-05,8\n2026-01-06,5\n2026-01-07,\n2026-01-08,9\n2026-01-09,7\n2026-01-10,6\n2026-01-11,8\n2026-01-12,4\n2026-01-13,3\nAverage,6.5\n",
    });
    expect(sheets[0]).toMatchObject({ rows: 13, kept: 12 });
    expect(field("frames")?.is).toBe("integer");
  });

  it("need no word, and a word alone makes none", async () => {
    const bare = await preview({ "a.csv": "Name;Kg\nAda;1,5\nBo;2,5\nCy;3\nDi;4\n;11,0\n" });
    expect(bare.sheets[0]).toMatchObject({ rows: 5, kept: 4 });
    const two = await preview({ "a.csv": "Payer,Amount\nAda,7\nBo,9\nTotal,2\nCy,4\n" });
    expect(two.sheets[0]).toMatchObject({ rows: 4, kept: 4 });
    const called = await preview({ "a.csv": "Name,Kg\nAda,1\nBo,2\nCy,3\nTotal,7\n" });
    expect(called.sheets[0]).toMatchObject({ rows: 4, kept: 4 });
    expect(called.sheets[0]?.around.join()).toContain(
      "not a sum of the rows above, and kept: row 5",
    );
  });
});

describe("a guess costs no row", () => {
  it("where a key is in two rows that differ", async () => {
    const rows = Array.from({ length: 30 }, (_, at) => `B-${at},${at},note ${at}`);
    const { sheets, field } = await preview({
      "hives.csv": `Code,Weight,Note\n${rows.join("\n")}\nB-7,99,other\n`,
    });
    expect(sheets[0]).toMatchObject({ rows: 31, kept: 31 });
    expect(field("code")).toMatchObject({
      is: "text ..40, required",
      guess: expect.stringContaining('would be unique, but "B-7" is in A9 and A32'),
    });
  });

  it("where a cell is refused that looked like one that fits", async () => {
    const phones = "600123456 600123457 600123458 12 600123459 600123460".split(" ");
    const { sheets, field } = await preview({
      "a.csv": `Name,Phone\n${phones.map((phone, at) => `N${at},${phone}`).join("\n")}\n`,
    });
    expect(sheets[0]).toMatchObject({ rows: 6, kept: 6 });
    expect(field("phone")).toMatchObject({
      is: "phone",
      guess: "not required, because row 5 would have no value that fits",
    });
  });

  it("with several currencies are an amount and a currency each", async () => {
    const { folder, field } = await preview(
      {
        "a.csv":
          "Item,Price,Price currency\nsmoker,12.50 €,a\nveil,$ 9.00,b\nhive tool,7 EUR,c\nsuit,USD 30,d\ngloves,soon,e\nhat,3.00 €,f\nknife,£4.20,g\n",
      },
      ["--yes"],
    );
    expect(field("price")?.is).toBe("decimal");
    expect(field("price_currency_2")?.is).toBe("choice EUR | USD | GBP");
    const rows = readFileSync(join(folder, "data/A.csv"), "utf8").trim().split("\n");
    expect(rows.map((row) => row.split(",").slice(1, 3).join(" "))).toEqual([
      "price price_currency_2",
      "12.5 EUR",
      "9 USD",
      "7 EUR",
      "30 USD",
      " ",
      "3 EUR",
      "4.2 GBP",
    ]);
  });

  it("nor a cell where a column has another currency than the rest", async () => {
    const { sheets, field, folder } = await preview(
      { "a.csv": "Code,Paid,Abroad\nA,€ 1.50,$ 2.50\nB,€ 2.00,$ 3.00\nC,€ 4.25,$ 1.75\n" },
      ["--yes"],
    );
    expect(sheets[0]).toMatchObject({ rows: 3, kept: 3 });
    expect([field("paid")?.is, field("abroad")?.is]).toEqual([
      "money 0.., required",
      "decimal 0.., required, unit USD",
    ]);
    expect(readFileSync(join(folder, "data/A.csv"), "utf8")).toContain("A,1.5,2.5\nB,2,3\n");
  });

  it("where a third of the cells of a lookup are misspelt", async () => {
    const { sheets, field } = await preview({
      "stations.csv": "Name,Height\nNorth,1\nSouth,2\nEast,3\nWest,4\nMiddle,5\n",
      "visits.csv":
        "Visit,Station\nV1,North\nV2,Soth\nV3,East\nV4,Wst\nV5,West\nV6,Midle\nV7,South\nV8,Middle\nV9,North\n",
    });
    expect(sheets.map(({ rows, kept }) => rows - kept)).toEqual([0, 0]);
    expect(field("station")).toMatchObject({
      is: "one Station",
      setAside: { count: 3, cells: [{ near: "South" }, { near: "West" }, { near: "Middle" }] },
    });
  });
});

it("a few small numbers are no references, whatever entity their header names", async () => {
  const files = {
    "hives.csv": "Number,Place\n1,North\n2,South\n3,East\n4,West\n5,Hill\n6,Dale\n7,Lea\n8,Moor\n",
    "visits.csv": "Visit,Hives,Hive number\nV1,2,8\nV2,1,7\nV3,3,6\nV4,2,1\nV5,1,2\n",
  };
  const { field } = await preview(files);
  expect([field("hives")?.is, field("hive")?.is]).toEqual([
    "integer, required",
    expect.stringContaining("one Hive, required"),
  ]);
});

it("a second key of the same rows refers to none of them", async () => {
  const codes = Array.from({ length: 9 }, (_, at) => `K-${at}`);
  const { field } = await preview({
    "a.csv": `Code,Shelf\n${codes.map((code, at) => `${code},${codes[8 - at]}`).join("\n")}\n`,
  });
  expect(field("shelf")?.is).toBe("text ..40, required");
});

it("previews show what is written and what is stored, with the smallest, the largest and the sum", async () => {
  const { field } = await preview({
    "a.csv": "Code;Weight\nA;1.250,5 kg\nB;800 g\nC;2 kg\nD;10 kg\n",
  });
  expect(field("weight")?.values).toEqual({
    examples: [
      { written: "1.250,5 kg", stored: "1250.5" },
      { written: "800 g", stored: "0.8" },
      { written: "2 kg", stored: "2" },
    ],
    filled: 4,
    blank: 0,
    smallest: "0.8",
    largest: "1250.5",
    sum: "1263.3",
  });
});

it("comments and links of cells are set aside with their addresses", async () => {
  const folder = temporaryFolder();
  const sheet = utils.aoa_to_sheet([
    ["Code", "Site", "Mail"],
    ["B-1", "the farm", "ada@example.org"],
    ["B-2", "https://bees.example", "bo@example.org"],
  ]);
  utils.cell_add_comment(sheet.A2 as CellObject, "Moved in May", "Ada");
  sheet["!merges"] = [utils.decode_range("A2:A3")];
  utils.cell_set_hyperlink(sheet.B2 as CellObject, "https://farm.example/map");
  utils.cell_set_hyperlink(sheet.B3 as CellObject, "https://bees.example");
  utils.cell_set_hyperlink(sheet.C2 as CellObject, "mailto:ada@example.org");
  const book = utils.book_new();
  utils.book_append_sheet(book, sheet, "Hives");
  writeFileSync(join(folder, "hives.xlsx"), write(book, { type: "buffer", bookType: "xlsx" }));
  const { out, status } = await levadura(["import", "hives.xlsx", "--yes"], folder);
  expect([status, out]).toEqual([0, expect.stringContaining("2 comments and links of cells")]);
  const aside = readFileSync(join(folder, "data/set-aside/hives.csv"), "utf8").split("\n");
  expect(aside.slice(1, 3)).toEqual([
    "hives.xlsx,Hives,A2,Moved in May,a comment on the cell",
    "hives.xlsx,Hives,B2,https://farm.example/map,a link behind the cell",
  ]);
});

it("comments are counted with the table that they are in", async () => {
  const folder = temporaryFolder();
  const hives = [1, 2, 3].map((at) => [`B-${at}`, at]);
  const visits = [1, 2, 3].map((at) => [`B-${at}`, `2026-05-0${at}`, "calm"]);
  const sheet = utils.aoa_to_sheet([
    ["Code", "Weight"],
    ...hives,
    [],
    [],
    ["Hive", "Visited", "Mood"],
    ...visits,
  ]);
  utils.cell_add_comment(sheet.C9 as CellObject, "After the rain", "Ada");
  const book = utils.book_new();
  utils.book_append_sheet(book, sheet, "Bees");
  writeFileSync(join(folder, "bees.xlsx"), write(book, { type: "buffer", bookType: "xlsx" }));
  const { out } = await levadura(["import", "bees.xlsx", "--yes", "--json"], folder);
  const counted = JSON.parse(out).sheets.map(({ around }: { around: string[] }) =>
    around.some((said) => said.includes("1 comment or link of cells")),
  );
  expect(counted).toEqual([false, true]);
});

it("a plan says what years of two digits, other units and bare percentages mean", async () => {
  const text =
    "Code,Due,Weight,Share\nA,01.02.68,500 g,91 %\nB,13.02.68,2 kg,0.8\nC,14.02.68,3 kg,75 %\n";
  const { folder, field } = await preview({ "a.csv": text }, ["--write-plan", "plan.yaml"]);
  expect(field("share")?.setAside).toMatchObject({ count: 1, cells: [{ address: "D3" }] });
  const plan = readFileSync(join(folder, "plan.yaml"), "utf8");
  expect(plan).toMatch(/century: 19\d\d\n[\s\S]*units: { "g": 0.001 }\n[\s\S]*bare: ask\n/);
  const corrected = plan
    .replace(/century: \d+/, "century: 2050")
    .replace("bare: ask", "bare: fraction");
  writeFileSync(join(folder, "plan.yaml"), corrected);
  expect((await levadura(["import", "a.csv", "--plan", "plan.yaml", "--yes"], folder)).status).toBe(
    0,
  );
  const stored = readFileSync(join(folder, "data/A.csv"), "utf8").split("\n").slice(1, 3);
  expect(stored).toEqual(["A,2068-02-01,0.5,91", "B,2068-02-13,2,80"]);
  writeFileSync(join(folder, "plan.yaml"), corrected.replace('"g": 0.001', '"g": lots'));
  const wrong = await levadura(["import", "a.csv", "--plan", "plan.yaml"], folder);
  expect([wrong.status, wrong.err]).toEqual([1, expect.stringContaining("expected a factor")]);
});

describe("`where` in a plan", () => {
  const text =
    "Code,Weight,Checked,State\nA,12.5,2026-01-03,sold\nB,3,2026-01-04,here\nC,14,2026-01-05,here\nD,,2026-01-05,here\nA,9,2026-02-01,here\nE,20,2025-12-31,here\nF,11,2026-03-01,here\n";
  const planned = async (where: string) => {
    const { folder } = await preview({ "a.csv": text }, ["--write-plan", "plan.yaml"]);
    const plan = readFileSync(join(folder, "plan.yaml"), "utf8");
    writeFileSync(
      join(folder, "plan.yaml"),
      plan.replace(/ {4}without: .*/, (line) => `${line}\n    where: ${where}`),
    );
    return {
      folder,
      ...(await levadura(["import", "a.csv", "--plan", "plan.yaml", "--yes"], folder)),
    };
  };

  it("leaves rows out, which are set aside with the reason", async () => {
    const { folder, status } = await planned(
      "weight > 5 and state <> 'sold' and checked >= date(2026, 1, 1)",
    );
    expect(status).toBe(0);
    const codes = readFileSync(join(folder, "data/A.csv"), "utf8").split("\n").slice(1, -1);
    expect(codes.map((line) => line.slice(0, 1))).toEqual(["C", "A", "F"]);
    const aside = readFileSync(join(folder, "data/set-aside/a.csv"), "utf8");
    expect(aside).toContain('row 2,"A,12.5,2026-01-03,sold",left out by `where` in the plan');
  });

  it.each([
    ["weigt > 5", "`weigt`"],
    ["weight", "it is not a condition"],
    ["id > 3", "it looks at more than the row itself"],
  ])("that makes no sense is refused: %s", async (where, said) => {
    const { status, err } = await planned(where);
    expect([status, err]).toEqual([1, expect.stringContaining(said)]);
  });
});

describe("next month's sheet", () => {
  const january = "Code,Weight,Checked\nB-1,12.5,2026-01-03\nB-2,14,2026-01-04\n";
  const begun = () => preview({ "january.csv": january }, ["--yes"]);

  it("is the entity that has its columns, and says so", async () => {
    const { folder } = await begun();
    const { sheets } = await preview(
      { "february.csv": january.replaceAll("-01-", "-02-").replace("Weight", "weight") },
      [],
      folder,
    );
    expect(sheets[0]).toMatchObject({ entity: "January", kept: 2 });
    expect(sheets[0]?.around).toContain(
      "its columns match January; --into NAME chooses another entity",
    );
    const other = await preview({ "costs.csv": "Code,Price\nB-1,12.5\nB-2,14\n" }, [], folder);
    expect(other.sheets[0]?.entity).toBe("Cost");
  });

  it("says which column may be a field under a new name", async () => {
    const { folder } = await begun();
    const around = async (sheet: string) => {
      const { sheets } = await preview({ "m.csv": sheet }, ["--into", "january"], folder);
      return sheets[0]?.around.join("\n");
    };
    expect(await around("Code,Mass,Checked\nB-1,12.5,2026-02-03\n")).toContain(
      "weight has no column: if that is its old name, write `weight: { column: Mass }` in the plan",
    );
    expect(await around('Code,"Mass: kg",Checked\nB-1,12.5,2026-02-03\n')).toContain(
      'write `weight: { column: "Mass: kg" }` in the plan',
    );
    // Two columns might be it, or none.
    expect(await around("Code,Mass,Height,Checked\nB-1,12.5,3,2026-02-03\n")).not.toContain(
      "old name",
    );
    expect(await around("Code,Roof,Checked\nB-1,green,2026-02-03\n")).not.toContain("old name");
  });

  it("goes where --into says: columns are matched by likeness, and what has no column is named", async () => {
    const { folder } = await begun();
    const sheet = "Code,Weight in kg,Remark\nB-1,13,ok\nB-4,11,\n";
    const { sheets, field } = await preview({ "m.csv": sheet }, ["--into", "january"], folder);
    expect(sheets[0]?.entity).toBe("January");
    expect(field("weight")?.guess).toContain("matched to January.weight");
    expect(sheets[0]?.around.join()).toMatch(/Remark.*no column for checked, whose values stay/);
    const fresh = await preview({ "m.csv": sheet }, ["--into", "Reading"], folder);
    expect(fresh.sheets[0]?.entity).toBe("Reading");
    const wrong = await preview({ "m.csv": sheet }, ["--into", "two words"], folder);
    expect([wrong.status, wrong.err]).toEqual([2, expect.stringContaining("--into: ")]);
  });
});

describe("encodings", () => {
  it.each([
    ["windows-1252", "Müller grüßt die Schützen; Año, niño y cigüeña; déjà vu à Évreux – 12 €"],
    ["windows-1252", "97,00 €; 337,50 €; 250,50 €"],
    ["windows-1252", "12 °C; 3 m²; 50 £; 7 ½; 5 µm"],
    ["windows-1252", "à; é; où; il a été là"],
    ["macintosh", "Prix: 12; café"],
    ["cp437", "año; señor; ¿qué?"],
    ["windows-1251", "я и ты; в лесу; о нём"],
    ["iso-8859-2", "Škoda; žena; číslo; Łódź; świeży"],
    ["windows-1250", "Zażółć gęślą jaźń; Příliš žluťoučký kůň; Hőség, űrhajó"],
    ["windows-1251", "Съешь же ещё этих мягких французских булок, да выпей чаю"],
    ["windows-1253", "Ξεσκεπάζω την ψυχοφθόρα βδελυγμία"],
    ["windows-1254", "Şişli'de ığdır; pijamalı hasta yağız şoföre çabucak güvendi"],
    ["macintosh", "Élève à Nîmes: façade, cœur, Noël, où; Straße, Öl, Übung"],
    ["cp850", "Müller grüßt die Schützen; Año, niño; élève, à, ô, ç"],
    ["iso-8859-15", "Prix: 12 € à Évreux; 15 € à Nîmes; 30 € côté sud"],
  ] as const)("that make words of a text are found: %s", (encoding, text) => {
    const bytes = iconv.encode(text, encoding);
    const found = likeliest(
      new Map(byteEncodings.map((each) => [each, iconv.decode(bytes, each)])),
    );
    expect(iconv.decode(bytes, found)).toBe(text);
  });
});

it.each([
  ["g", "kg", "0.001"],
  ["t", "kg", "1000"],
  ["min", "s", "60"],
  ["s", "min", undefined],
  ["MW", "mW", undefined],
  ["kW", "MW", "0.001"],
  ["ml", "l", "0.001"],
  ["KG", "kg", "1"],
  ["kg", "l", undefined],
  ["hives", "kg", undefined],
])("%s in %s is %s", (from, to, factor) => {
  expect(unitFactor(from, to)).toBe(factor);
});

describe("importing into a model that is there", () => {
  const model = `levadura: 1
app: {name: Bees}
entities:
  Visit:
    fields:
      code: text, required, unique
      date: date, required
      place: text, required
      frames: integer 0..20
      removed: date
    rules:
      - Removed comes after the visit: "= removed is empty or removed >= date"
`;
  const header = "Code,Date,Place,Frames,Removed";
  const imported = async (folder: string, name: string, text: string) => {
    writeFileSync(join(folder, name), text);
    return levadura(["import", name, "--into", "Visit", "--yes", "--json"], folder);
  };
  const data = (folder: string) => readFileSync(join(folder, "data/Visit.csv"), "utf8");
  const aside = (folder: string, name: string) =>
    readFileSync(join(folder, "data/set-aside", name), "utf8");

  it("sets rows aside that break a rule, or that would be new without what they need", async () => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, "model.yaml"), model);
    await imported(
      folder,
      "first.csv",
      `${header}\nV-1,2026-01-02,Loma,8,2025-01-01\nV-2,2026-01-02,Loma,8,\n`,
    );
    expect(data(folder)).toBe("code,date,place,frames,removed\nV-2,2026-01-02,Loma,8,\n");
    expect(aside(folder, "first.csv")).toContain("it breaks a rule: Removed comes after the visit");
    // The place of the row that is there stays.
    await imported(folder, "second.csv", "Code,Date,Frames\nV-2,2026-01-02,5\nV-3,2026-01-03,4\n");
    expect(data(folder)).toBe("code,date,frames,place,removed\nV-2,2026-01-02,5,Loma,\n");
    expect(aside(folder, "second.csv")).toMatch(/row 3,.*a new record needs Place/);
    for (const command of ["prepare", "migrate"]) await levadura([command], folder);
    const loaded = await levadura(["import", "--yes", "--json"], folder);
    expect(JSON.parse(loaded.out).loaded).toMatchObject([{ entity: "Visit", added: 1 }]);
  });

  it("leaves everything as it was when the rows can't be loaded", async () => {
    const folder = temporaryFolder();
    // A rule over other rows is asked by the database alone.
    writeFileSync(
      join(folder, "model.yaml"),
      `${model}  Loan:
    fields: {visit: "one Visit, required", item: "text, required, unique"}
    rules:
      - One loan for each visit: "= visit.place <> 'Vega'"
`,
    );
    for (const command of ["prepare", "migrate"]) await levadura([command], folder);
    await imported(folder, "v.csv", `${header}\nV-1,2026-01-02,Loma,8,\nV-2,2026-01-02,Vega,8,\n`);
    const before = readFileSync(join(folder, "model.yaml"), "utf8");
    writeFileSync(join(folder, "loans.csv"), "Visit,Item\nV-1,smoker\nV-2,veil\n");
    const failed = await levadura(["import", "loans.csv", "--yes", "--json"], folder);
    expect(failed.status).toBe(1);
    expect(failed.out).toContain("One loan for each visit");
    expect(existsSync(join(folder, "data/Loan.csv"))).toBe(false);
    expect(existsSync(join(folder, "imports/loans.yaml"))).toBe(false);
    expect(readFileSync(join(folder, "model.yaml"), "utf8")).toBe(before);
    expect((await levadura(["check"], folder)).status).toBe(0);
  });
});

describe("questions", () => {
  const dues = "Payer,Paid on,Share\nAda,03/04/2024,0.8\nBo,05/06/2024,91%\nCy,07/08/2024,45%\n";

  it("are in the plan and at the end, where nobody is there to answer", async () => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, "dues.csv"), dues);
    const { err } = await levadura(["import", "dues.csv", "--yes"], folder);
    expect(err).toContain("2 questions were answered by the first choice");
    expect(err).toContain("Paid on: Which is first, the day or the month? day first");
    const plan = readFileSync(join(folder, "imports/dues.yaml"), "utf8");
    expect(plan).toContain('#   month first, dates: month first: "03/04/2024" → 2024-03-04');
    expect(plan).toContain("#   percentages, bare: percent:");
  });

  it("are on the page of the preview, with everything escaped", async () => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, "dues.csv"), dues.replace("Ada", "<script>alert(1)</script>"));
    const { err } = await levadura(["import", "dues.csv", "--open"], folder, {
      env: { PATH: "" },
    });
    const [, path = ""] = /a page, too: (\S+)/.exec(err) ?? [];
    const page = readFileSync(path, "utf8");
    expect(page).toContain("Which is first, the day or the month?");
    expect(page).toContain("&lt;script&gt;alert(1)&lt;/script&gt;");
    expect(page).not.toContain("<script");
    expect(statSync(path).mode & 0o077).toBe(0);
    rmSync(dirname(path), { recursive: true });
  });

  it("ask about amounts with three digits behind a sign, whatever other columns say", async () => {
    const { field } = await preview({
      "a.csv": "Payer;Amount;Share\nAda;1.234;0.8\nBo;2.500;0.9\nCy;3.750;0.25\n",
    });
    expect(field("amount")).toMatchObject({ is: "money, required", guess: expect.any(String) });
    expect(field("amount")?.values).toMatchObject({ sum: "7484" });
  });
});

describe("cells with several names", () => {
  it("make a lookup of their own, where no sheet has one", async () => {
    const { folder, sheets } = await preview(
      {
        "visits.csv":
          "Hive,Date,Helpers\nB-01,2026-01-02,Ada; Bo\nB-02,2026-01-02,bo\nB-03,2026-01-03,Cy;Ada\nB-01,2026-02-03,Bo; Cy ; ada\nB-02,2026-02-03,\n",
      },
      ["--yes"],
    );
    expect(sheets[0]).toMatchObject({ rows: 5, kept: 5 });
    const data = (entity: string) =>
      readFileSync(join(folder, `data/${entity}.csv`), "utf8").replaceAll("\n", "|");
    expect(data("Helper")).toBe("name|Ada|Bo|Cy|");
    expect(data("Visit")).toBe(
      'hive,date,helpers|B-01,2026-01-02,"Ada|Bo"|B-02,2026-01-02,Bo|B-03,2026-01-03,"Cy|Ada"|B-01,2026-02-03,"Bo|Cy|Ada"|B-02,2026-02-03,|',
    );
    expect(readFileSync(join(folder, "model.yaml"), "utf8")).toContain("helpers: many Helper");
    for (const command of ["prepare", "migrate"]) await levadura([command], folder);
    const { status } = await levadura(["import", "--yes"], folder);
    expect(status).toBe(0);
  });

  it("are told from a comma within names, and from sentences", async () => {
    const { field } = await preview({
      "a.csv":
        'Keeper,Place,Remarks\n"Bell, Ada","Loma, North","calm, few bees"\n"Dale, Bo","Vega, North",\n"Ek, Cy","Loma, South","weak, and no queen was seen twice in a row"\n"Bell, Di","Vega, South",calm\n"Bell, Ed","Loma, North","calm, strong"\n',
    });
    for (const name of ["keeper", "place", "remarks"]) expect(field(name)?.is).toMatch(/text/);
  });
});

describe("a plan", () => {
  it("computes fields of others, and its replacements are kept for later months", async () => {
    const folder = temporaryFolder();
    const write = (name: string, text: string) => writeFileSync(join(folder, name), text);
    write(
      "sales.csv",
      "Hive,Kg,Price,Began,Place\nB-01,2,4.50,2026-01-02,Lmoa\nB-02,3.5,4,2026-01-03,Loma\n",
    );
    await levadura(["import", "sales.csv", "--write-plan", "plan.yaml"], folder);
    const plan = readFileSync(join(folder, "plan.yaml"), "utf8")
      .replace(
        "    fields:\n",
        "    fields:\n      value:\n        formula: kg * price\n        is: money\n      until:\n        formula: = began + 2 weeks\n        is: date\n",
      )
      .replace(/( {8}column: Place\n {8}is: .*\n)/, "$1        replace: { Lmoa: Loma }\n");
    write("plan.yaml", plan);
    await levadura(["import", "sales.csv", "--plan", "plan.yaml", "--yes"], folder);
    const data = () => readFileSync(join(folder, "data/Sale.csv"), "utf8").trim().split("\n");
    expect(data()).toEqual([
      "value,until,hive,kg,price,began,place",
      "9,2026-01-16,B-01,2,4.5,2026-01-02,Loma",
      "14,2026-01-17,B-02,3.5,4,2026-01-03,Loma",
    ]);
    write(
      "sales.csv",
      "Hive,Kg,Price,Began,Place\nB-03,1,2,2026-02-02,lmoa\nB-04,1,2,2026-02-02,Vega\n",
    );
    const { out } = await levadura(["import", "sales.csv", "--yes", "--json"], folder);
    expect(out).toContain("1 text is replaced as in an earlier import");
    expect(data().join()).toContain("B-03,1,2,2026-02-02,Loma");
    write("plan.yaml", plan.replace("kg * price", "kg * weight"));
    const wrong = await levadura(["import", "sales.csv", "--plan", "plan.yaml"], folder);
    expect([wrong.status, wrong.err]).toEqual([
      1,
      expect.stringContaining("Sale.value in the plan"),
    ]);
  });
});

describe("records that several columns name", () => {
  const hives =
    "Apiary,No,Roof\nNorth,1,green\nNorth,2,blue\nSouth,1,green\nSouth,2,white\nSouth,3,blue\nMill,1,blue\n";
  const april =
    "Date,Apiary,Hive no,Frames\n2024-04-01,North,1,5\n2024-04-01,North,2,6\n2024-04-02,South,1,4\n2024-04-02,South,3,7\n2024-04-09,North,1,6\n2024-04-09,South,2,3\n2024-04-10,Mill,1,5\n2024-04-11,North,2,5\n";

  it("are referred to by these columns together, also next month", async () => {
    const { folder } = await preview({ "hives.csv": hives, "inspections.csv": april }, ["--yes"]);
    const model = readFileSync(join(folder, "model.yaml"), "utf8");
    expect(model).toMatch(/Hive:\n {4}title: "\{name\}"/);
    expect(model).toContain("name: text ..40, required, unique");
    expect(model).toMatch(/Inspection:[\s\S]*hive: one Hive, required/);
    // The columns say nothing beside the record.
    expect(model).not.toContain("hive_no");
    const data = (entity: string) => readFileSync(join(folder, `data/${entity}.csv`), "utf8");
    expect(data("Hive")).toContain("North,1,North 1,green");
    expect(data("Inspection")).toContain("2024-04-02,South 3,7");
    for (const command of ["prepare", "migrate"]) await levadura([command], folder);
    await levadura(["import", "--yes"], folder);
    const { sheets } = await preview(
      { "may.csv": `${april.replaceAll("-04-", "-05-")}2024-05-12,Mill,7,2\n` },
      ["--yes"],
      folder,
    );
    expect(sheets[0]).toMatchObject({ entity: "Inspection", kept: 8, setAside: 1 });
    expect(sheets[0]?.around).toContain(
      "Apiary and Hive no are put together as in an earlier import of Inspection",
    );
    const counts = rowsOf(
      join(folder, "records.db"),
      "select h.name, count(*) as times from inspection i join hive h on h.id = i.hive_id group by h.name",
    );
    expect(counts).toContainEqual({ name: "North 1", times: 4 });
  });

  it("stay as they are where the values don't agree, or one column names them", async () => {
    const strangers = april.replaceAll("South,", "West,");
    const other = await preview({ "hives.csv": hives, "inspections.csv": strangers });
    expect(other.sheets[1]?.fields.map(({ name }) => name)).toEqual([
      "date",
      "apiary",
      "hive_no",
      "frames",
    ]);
    // A sheet that begins with a day is about treatments, even if each hive had one.
    const treatments = hives.replace(/^.*$/gm, (line) =>
      line.startsWith("Apiary") ? `Day,${line}` : line && `2024-03-01,${line}`,
    );
    const treated = await preview({ "treatments.csv": treatments, "inspections.csv": april });
    expect(treated.sheets[1]?.fields.map(({ name }) => name)).toContain("hive_no");
    const coded = hives
      .trim()
      .split("\n")
      .map((line, at) => `${at === 0 ? "Code" : `B-${at}`},${line}\n`);
    const named = await preview({ "hives.csv": coded.join(""), "inspections.csv": april });
    expect(named.sheets.flatMap(({ around }) => around).join()).not.toContain("together");
  });

  it("are never taken for others whose texts look alike, nor for what is said of them elsewhere", async () => {
    const alike = hives.replace("North,2,blue", "North,1 2,blue").replace("Mill,1,", "North 1,2,");
    const rows = april.replaceAll(",North,2,", ",North,1 2,").replace(",Mill,1,", ",North 1,2,");
    const { folder } = await preview({ "hives.csv": alike, "inspections.csv": rows }, ["--yes"]);
    const data = readFileSync(join(folder, "data/Inspection.csv"), "utf8");
    expect(data).toContain("2024-04-01,North / 1 2,6");
    expect(data).toContain("2024-04-10,North 1 2,5");
    const both = await preview({ "hives.csv": hives, "roofs.csv": hives.replace("Roof", "Paint") });
    expect(both.sheets.map(({ fields }) => fields.map(({ name }) => name))).toEqual([
      ["apiary", "no", "roof"],
      ["apiary", "no", "paint"],
    ]);
  });

  it("can be split off with what repeats with them; without that, nothing is made of them", async () => {
    const queens = {
      North1: "red",
      North2: "blue",
      South1: "white",
      South3: "red",
      South2: "blue",
    };
    const rows = april
      .trim()
      .split("\n")
      .map((line, at) => {
        const [, apiary, no] = line.split(",");
        const queen = queens[`${apiary}${no}` as keyof typeof queens] ?? "blue";
        return at === 0
          ? `${line},Queen,Roof`
          : `${line},${queen},${queen === "red" ? "tin" : "wood"}`;
      });
    const later = rows.slice(1).map((line) => line.replace("-04-", "-05-"));
    const sheet = `${[...rows, ...later].join("\n")}\n`;
    const { folder, sheets } = await preview({ "inspections.csv": sheet }, ["--yes"]);
    expect(sheets[0]?.fields.map(({ name }) => name)).not.toContain("hive");
    expect(readFileSync(join(folder, "model.yaml"), "utf8")).not.toContain("Hive:");
    const plan = readFileSync(join(folder, "imports/inspections.yaml"), "utf8");
    expect(plan).toContain('joined: { "Hive": { of: [Apiary, Hive no], for: split } }');
    const again = temporaryFolder();
    writeFileSync(join(again, "inspections.csv"), sheet);
    writeFileSync(join(again, "plan.yaml"), plan.replace("do: no", "do: yes"));
    const taken = await levadura(
      ["import", "inspections.csv", "--plan", "plan.yaml", "--yes"],
      again,
    );
    expect(taken.status).toBe(0);
    expect(readFileSync(join(again, "data/Hive.csv"), "utf8")).toContain("South 3,South,3,red,tin");
    expect(readFileSync(join(again, "data/Inspection.csv"), "utf8")).toContain(
      "2024-05-02,South 3,7",
    );
  });
});

describe("lines with what they are lines of", () => {
  const loans =
    "Loan no,Date,Keeper,Item,Deposit,Loan deposit\n17,2026-01-02,Ada,smoker,10,25\n17,2026-01-02,Ada,veil,15,25\n18,2026-01-04,Bo,suit,20,20\n19,2026-01-05,Ada,extractor,50,65\n19,2026-01-05,Ada,sieve,15,65\n20,2026-01-09,Cy,smoker,10,10\n21,2026-01-10,Bo,veil,15,40\n21,2026-01-10,Bo,suit,20,40\n21,2026-01-10,Bo,gloves,6,40\n";

  it("become both, and the sums of the lines are compared with what is said", async () => {
    const { folder, sheets } = await preview({ "loan-items.csv": loans }, ["--yes"]);
    const data = (entity: string) =>
      readFileSync(join(folder, `data/${entity}.csv`), "utf8")
        .trim()
        .split("\n");
    expect(data("Loan")).toEqual([
      "number,date,keeper,loan_deposit",
      "17,2026-01-02,Ada,25",
      "18,2026-01-04,Bo,20",
      "19,2026-01-05,Ada,65",
      "20,2026-01-09,Cy,10",
      "21,2026-01-10,Bo,40",
    ]);
    expect(data("LoanItem").slice(0, 3)).toEqual([
      "loan,item,deposit",
      "17,smoker,10",
      "17,veil,15",
    ]);
    expect(readFileSync(join(folder, "model.yaml"), "utf8")).toContain("loan: part of Loan");
    expect(sheets[0]).toMatchObject({
      totals: ['Loan deposit is the sum of Deposit in 4 of 5; "21" says 40, and the sum is 41'],
    });
  });

  it("stay as they are where the plan says so, or where rows contradict each other", async () => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, "loans.csv"), loans);
    await levadura(["import", "loans.csv", "--write-plan", "plan.yaml"], folder);
    const plan = readFileSync(join(folder, "plan.yaml"), "utf8");
    expect(plan).toMatch(/Loan: \{ by: loan, .*parts: yes, do: yes \}/);
    expect(plan).toContain("entity: LoanLine");
    writeFileSync(join(folder, "plan.yaml"), plan.replace("do: yes", "do: no"));
    await levadura(["import", "loans.csv", "--plan", "plan.yaml", "--yes"], folder);
    expect(readFileSync(join(folder, "model.yaml"), "utf8")).not.toContain("part of");
    const other = await preview({
      "loans.csv": loans.replace("19,2026-01-05,Ada,s", "19,2026-01-05,Bo,s"),
    });
    expect(other.sheets.length).toBe(1);
    expect(other.sheets[0]?.fields.map(({ name }) => name)).toContain("keeper");
  });
});
