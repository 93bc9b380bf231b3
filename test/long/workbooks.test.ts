import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { levadura, temporaryFolder } from "../support/program.ts";
import { archiveOf, shown, type TestSheet, writeWorkbook } from "../support/workbooks.ts";

/** Imports a workbook of these sheets. */
async function imported(
  sheets: Record<string, TestSheet>,
  { date1904 = false, format = "xlsx", args = [] as string[] } = {},
) {
  const folder = temporaryFolder();
  writeWorkbook(join(folder, `bees.${format}`), sheets, { date1904 });
  const { status, out, err } = await levadura(
    ["import", `bees.${format}`, "--yes", "--json", ...args],
    folder,
  );
  expect(err).toBe("");
  expect(status, out).toBe(0);
  const said = JSON.parse(out);
  const data = (entity: string) =>
    readFileSync(join(folder, "data", `${entity}.csv`), "utf8")
      .trimEnd()
      .split("\n");
  const aside = readdirSync(join(folder, "data")).includes("set-aside")
    ? readFileSync(join(folder, "data", "set-aside", "bees.csv"), "utf8")
        .trimEnd()
        .split("\n")
        .slice(1)
    : [];
  const fields: Record<string, string> = {};
  for (const sheet of said.sheets)
    for (const { name, is } of sheet.fields) fields[`${sheet.entity}.${name}`] = is;
  return { folder, said, data, aside, fields };
}

describe("a workbook's cells", () => {
  const rows = [
    ["Code", "Opened", "Begun", "Best time", "Moisture", "Price", "Weight", "Gain"],
    ...[1, 2, 3, 4].map((at) => [
      `H-${at}`,
      shown(45_000 + at, "dd/mm/yyyy"),
      shown(45_000 + at + 0.5, "yyyy-mm-dd hh:mm"),
      shown(at / 8, "hh:mm"),
      shown(0.16 + at / 100, "0%"),
      shown(9.5 + at, "#,##0.00 [$€-1]"),
      shown(12 + at, '0.0" kg"'),
      shown(at / 3, "0.00"),
    ]),
  ];

  it.each([
    ["xlsx", false, "2023-03-16"],
    ["xlsx", true, "2027-03-17"],
    ["ods", false, "2023-03-16"],
  ])("say what their formats say: %s, counted from 1904: %s", async (format, date1904, day) => {
    const { data, fields } = await imported({ Hives: { rows } }, { format, date1904 });
    expect(data("Hive")[1]).toBe(`H-1,${day},${day}T12:00,03:00,17,10.5,13,0.3333333333`);
    expect(fields).toMatchObject({
      "Hive.opened": "date, required",
      "Hive.begun": "datetime, required",
      "Hive.best_time": "time, required",
      // What writes the test's ODS leaves currencies and units out.
      ...(format === "xlsx" && {
        "Hive.price": "money 0.., required",
        "Hive.weight": "integer 0.., required, unit kg",
      }),
    });
  });

  it("in error are set aside, whatever the error", async () => {
    const fault = (code: number) => ({ t: "e", v: code }) as const;
    const weights = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12];
    const { aside, data } = await imported({
      Hives: {
        rows: [
          ["Code", "Weight"],
          ...weights.map((weight, at) => [
            `H-${at}`,
            at === 3 ? fault(42) : at === 5 ? fault(7) : weight,
          ]),
        ],
      },
    });
    expect(aside).toEqual([
      "bees.xlsx,Hives,B5,#N/A,in error: #N/A",
      "bees.xlsx,Hives,B7,#DIV/0!,in error: #DIV/0!",
    ]);
    expect(data("Hive").length).toBe(13);
  });

  it("that are one over several rows say the same of each", async () => {
    const { data } = await imported({
      Hives: {
        rows: [
          ["Code", "Apiary", "Weight"],
          ["H-1", "Linden", 1],
          ["H-2", null, 2],
          ["H-3", null, 3],
          ["H-4", "Mill", 4],
        ],
        merges: ["B2:B4"],
      },
    });
    expect(data("Hive").slice(1)).toEqual([
      "H-1,Linden,1",
      "H-2,Linden,2",
      "H-3,Linden,3",
      "H-4,Mill,4",
    ]);
  });

  it("with the same formula in each row are offered as computed", async () => {
    const row = (at: number) => [
      `H-${at}`,
      at,
      2,
      { t: "n", v: at * 2, f: `B${at + 1}*C${at + 1}` } as const,
    ];
    const { said } = await imported({
      Hives: {
        rows: [
          ["Code", "Weight", "Price", "Amount"],
          row(1),
          row(2),
          row(3),
          ["Total", null, null, { t: "n", v: 12, f: "SUM(D2:D4)" }],
        ],
      },
    });
    const [sheet] = said.sheets;
    expect(sheet.fields.find(({ name }: { name: string }) => name === "amount")).toMatchObject({
      is: "money, required",
      formula: "weight * price",
    });
    expect(sheet).toMatchObject({ rows: 4, kept: 3, setAside: 1 });
  });
});

describe("a workbook's sheets", () => {
  it("may be hidden, blank, or hold a table in the middle of other things", async () => {
    const hives = [
      ["H-1", "Linden", 1],
      ["H-2", "Mill", 2],
      ["H-3", "Mill", 3],
    ];
    const { said, aside, data } = await imported({
      Hives: {
        rows: [
          [null, "Our hives"],
          [],
          [null, "Code", "Apiary", "Weight", null, "ask Ben"],
          ...hives.map((row) => [null, ...row]),
          [],
          [null, "Counted by Ana"],
        ],
        merges: ["B1:D1"],
      },
      Nothing: { rows: [] },
      Words: {
        rows: [
          ["Word", "Means"],
          ["weak", "few bees"],
          ["strong", "many"],
        ],
        hidden: true,
      },
    });
    expect(said.sheets.map(({ entity }: { entity: string }) => entity)).toEqual(["Hive", "Word"]);
    expect(said.sheets[1].around).toContain("the sheet is hidden in its workbook");
    expect(data("Hive")).toEqual([
      "code,apiary,weight",
      "H-1,Linden,1",
      "H-2,Mill,2",
      "H-3,Mill,3",
    ]);
    expect(aside.map((line) => line.split(",").slice(2).join(","))).toEqual([
      "B1,Our hives,above the table",
      "F3,ask Ben,beside the table",
      'row 8,",Counted by Ana",a note below the table',
    ]);
  });

  it("of the same shape become one entity, when the plan says so", async () => {
    const month = (from: number): TestSheet => ({
      rows: [
        ["Code", "Weight"],
        [`H-${from}`, 1],
        [`H-${from + 1}`, 2],
      ],
    });
    const folder = temporaryFolder();
    writeWorkbook(join(folder, "bees.xlsx"), { May: month(1), June: month(2) });
    await levadura(["import", "bees.xlsx", "--no-reshaping", "--write-plan", "plan.yaml"], folder);
    const plan = readFileSync(join(folder, "plan.yaml"), "utf8")
      .replace("entity: May", "entity: Weighing")
      .replace("entity: June", "entity: Weighing");
    writeFileSync(join(folder, "plan.yaml"), plan);
    const { out } = await levadura(
      ["import", "bees.xlsx", "--plan", "plan.yaml", "--yes", "--json"],
      folder,
    );
    expect(
      JSON.parse(out).sheets.map(({ kept, setAside }: { kept: number; setAside: number }) => [
        kept,
        setAside,
      ]),
    ).toEqual([
      [2, 0],
      [1, 1],
    ]);
    expect(readFileSync(join(folder, "data/Weighing.csv"), "utf8")).toBe(
      "code,weight\nH-1,1\nH-2,2\nH-3,2\n",
    );
  });

  it("are found where the plan says: rows, header, totals as rows", async () => {
    const folder = temporaryFolder();
    writeWorkbook(join(folder, "bees.xlsx"), {
      Hives: {
        rows: [
          ["H-1", 1],
          ["H-2", 2],
          ["Total", 3],
          ["H-9", 9],
        ],
      },
    });
    await levadura(["import", "bees.xlsx", "--write-plan", "plan.yaml"], folder);
    const plan = readFileSync(join(folder, "plan.yaml"), "utf8");
    expect(plan).toContain("header: none");
    writeFileSync(
      join(folder, "plan.yaml"),
      plan.replace("rows: 1..", "rows: 2..3").replace("without: [total, ", "without: ["),
    );
    expect(
      (await levadura(["import", "bees.xlsx", "--plan", "plan.yaml", "--yes"], folder)).status,
    ).toBe(0);
    expect(readFileSync(join(folder, "data/Hive.csv"), "utf8")).toBe(
      "name,column_b\nH-2,2\nTotal,3\n",
    );
    expect(readFileSync(join(folder, "data/set-aside/bees.csv"), "utf8")).toMatch(
      /A1,H-1,above the table[\s\S]*A4,H-9,below the table/,
    );
  });
});

describe("a large workbook", () => {
  /** A workbook as other programs write it: a formula once for all of its column, links beside the rows. */
  function largeWorkbook(count: number): Buffer {
    const names = "http://schemas.openxmlformats.org";
    const main = `xmlns="${names}/spreadsheetml/2006/main" xmlns:r="${names}/officeDocument/2006/relationships"`;
    const text = (at: string, value: string) =>
      `<c r="${at}" t="inlineStr"><is><t>${value}</t></is></c>`;
    const note = "The bees fly, and bring in pollen. ".repeat(40);
    const rowOf = (row: number) => {
      const formula =
        row === 2
          ? `<f t="shared" ref="C2:C${count + 1}" si="0">B2*2</f>`
          : '<f t="shared" si="0"/>';
      // Three rows have one keeper.
      const keeper = row % 3 === 2 ? text(`D${row}`, `Keeper ${row % 40}`) : "";
      return `<row r="${row}">${text(`A${row}`, `H-${row}`)}<c r="B${row}"><v>${row % 50}</v></c><c r="C${row}">${formula}<v>${(row % 50) * 2}</v></c>${keeper}${text(`E${row}`, `${note}${row}`)}</row>`;
    };
    const rows = Array.from({ length: count }, (_, at) => rowOf(at + 2)).join("");
    const heads = ["Code", "Weight", "Double", "Keeper", "Notes"].map((head, at) =>
      text(`${"ABCDE"[at]}1`, head),
    );
    const merges = Array.from(
      { length: count / 3 },
      (_, at) => `<mergeCell ref="D${at * 3 + 2}:D${at * 3 + 4}"/>`,
    );
    const link = (row: number) => `<hyperlink ref="A${row}" r:id="rId1"/>`;
    const rels = (type: string, targets: readonly string[], mode = "") =>
      `<Relationships xmlns="${names}/package/2006/relationships">${targets
        .map(
          (target, at) =>
            `<Relationship Id="rId${at + 1}" Type="${names}/officeDocument/2006/relationships/${type}" Target="${target}"${mode}/>`,
        )
        .join("")}</Relationships>`;
    const sheet = (content: string, after = "") => ({
      content: `<worksheet ${main}><sheetData>${content}</sheetData>${after}</worksheet>`,
    });
    return archiveOf({
      "[Content_Types].xml": {
        content: `<Types xmlns="${names}/package/2006/content-types"><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/></Types>`,
      },
      "_rels/.rels": { content: rels("officeDocument", ["xl/workbook.xml"]) },
      "xl/workbook.xml": {
        content: `<workbook ${main}><sheets><sheet name="Towns" sheetId="1" r:id="rId1"/><sheet name="Hives" sheetId="2" r:id="rId2"/></sheets></workbook>`,
      },
      "xl/_rels/workbook.xml.rels": {
        content: rels("worksheet", ["worksheets/b.xml", "worksheets/a.xml"]),
      },
      "xl/worksheets/a.xml": sheet(
        `<row r="1">${heads.join("")}</row>${rows}`,
        `<mergeCells>${merges.join("")}</mergeCells><hyperlinks>${link(2)}${link(count + 1)}</hyperlinks>`,
      ),
      "xl/worksheets/_rels/a.xml.rels": {
        content: rels("hyperlink", ["https://example.org/hive"], ' TargetMode="External"'),
      },
      "xl/worksheets/b.xml": sheet(
        ["Town", "Linden", "Mill", "Weir"]
          .map((town, at) => `<row r="${at + 1}">${text(`A${at + 1}`, town)}</row>`)
          .join(""),
      ),
    });
  }

  it("is read by several workers as by one: each row, formula, link and joined cell", async () => {
    const count = 45_000;
    const folder = temporaryFolder();
    writeFileSync(join(folder, "bees.xlsx"), largeWorkbook(count));
    const { status, out, err } = await levadura(["import", "bees.xlsx", "--yes", "--json"], folder);
    expect(err).toBe("");
    expect(status, out).toBe(0);
    const [towns, hives] = JSON.parse(out).sheets;
    expect(towns).toMatchObject({ entity: "Town", kept: 3 });
    expect(hives).toMatchObject({ kept: count, setAside: 0 });
    expect(hives.fields.find(({ name }: { name: string }) => name === "double")).toMatchObject({
      formula: "weight * 2",
    });
    const lines = readFileSync(join(folder, "data/Hive.csv"), "utf8").trimEnd().split("\n");
    expect(lines.length).toBe(count + 1);
    for (const [at, line] of lines.slice(1).entries()) {
      const row = at + 2;
      const keeper = `Keeper ${(row - ((row - 2) % 3)) % 40}`;
      if (
        !line.startsWith(`H-${row},${row % 50},`) ||
        !line.includes(`,${keeper},`) ||
        !line.includes(`pollen. ${row}`)
      )
        expect(line, `row ${row}`).toBe("as it was written");
    }
    const aside = readFileSync(join(folder, "data/set-aside/bees.csv"), "utf8");
    expect(aside).toContain("A2,https://example.org/hive");
    expect(aside).toContain(`A${count + 1},https://example.org/hive`);
  });
});

describe("an archive that is no workbook to be read", () => {
  const workbook = { "xl/workbook.xml": { content: "<workbook/>" } };
  it.each<[string, Buffer, RegExp]>([
    [
      "plain.zip",
      archiveOf({ "letter.txt": { content: "hello" } }),
      /is an archive, but not a workbook/,
    ],
    [
      "huge.xlsx",
      archiveOf({ ...workbook, "xl/worksheets/sheet1.xml": { content: "x", says: 700_000_000 } }),
      /unpacks to 0\.7 GB/,
    ],
    [
      "liar.xlsx",
      archiveOf({
        ...workbook,
        "xl/worksheets/sheet1.xml": { content: Buffer.alloc(5_000_000), says: 10 },
      }),
      /can't be read as a workbook/,
    ],
    [
      "locked.ods",
      archiveOf({
        "content.xml": { content: "x" },
        "META-INF/manifest.xml": { content: "<manifest:encryption-data/>" },
      }),
      /protected by a password/,
    ],
    ["cut.xlsx", archiveOf(workbook).subarray(0, 60), /can't be read as a workbook/],
    [
      "odd.xlsx",
      archiveOf(workbook),
      /(can't be read as a workbook|has no rows|no rows below a header)/,
    ],
  ])("such as %s is refused with what to do", async (name, bytes, message) => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, name), bytes);
    const { status, err } = await levadura(["import", name, "--yes"], folder);
    expect(err).toMatch(message);
    expect(err).not.toMatch(/\n\s+at /);
    expect(status).toBe(1);
    expect(readdirSync(folder)).toEqual([name]);
  });
});
