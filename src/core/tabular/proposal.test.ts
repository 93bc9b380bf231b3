import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { runs } from "../../../test/support/runs.ts";
import { column, profiled, proposed } from "../../../test/support/sheets.ts";
import type { Cell } from "./cells.ts";
import { findLayout } from "./layout.ts";
import { printPlan, readPlan } from "./plan-document.ts";

/** Values that differ, in front of which those of a case stand. */
const many = (from: readonly Cell[], count = 12) =>
  Array.from({ length: count }, (_, at) => from[at % from.length] as Cell);

describe("a column", () => {
  it.each<[string, Cell[], string]>([
    ["Frames", ["3", "12", "7", "8"], "integer, required"],
    ["Frames", ["3", "-12", "7", "n/a"], "integer"],
    ["Weight", ["1,5", "2,25", "1.234,5", "3"], "decimal, required"],
    ["Latency", ["0.370", "1.370", "2.740"], "decimal, required"],
    ["Latency", ["1.371", "2.742"], "decimal, required, places 3"],
    ["Weight (kg)", ["1.5", "2.2"], "decimal 0.., required, unit kg, places 1"],
    ["Weight", ["12 kg", "9 kg", "11"], "integer 0.., required, unit kg"],
    ["Elevation", ["412", "640", "1.120 m"], "integer 0.., required, unit m"],
    ["Paid", ["12,50 €", "€ 9"], "money 0.., required"],
    ["Moisture", ["17.5 %", "18 %"], "percent, required, places 1"],
    ["Moisture", [{ number: 17.5, mark: "%" }, 18], "percent, required, places 1"],
    ["Seen", ["yes", "No", "yes"], "boolean"],
    ["Sunny", ["x", "", "X"], "boolean"],
    ["Mated", ["yes", "no", ""], "choice yes | no"],
    ["Insured", ["Yes", ""], "boolean"],
    ["Visited", ["3.5.2026", "31.12.2025"], "date, required"],
    ["Visited", [{ stamp: "2026-05-03" }, "2026-05-04"], "date, required"],
    ["Visited", ["2026-05-03 09:30", "2026-05-04 10:00"], "datetime, required"],
    ["Opens", ["9:30", "10:15 am"], "time, required"],
    ["Write to", ["ana@example.org", "ben@example.org"], "email, required, unique"],
    ["Page", ["www.example.org", "https://example.org/x"], "url, required"],
    ["Phone", ["600123456", "+34 600 000 000"], "phone, required"],
    ["Roof", ["#ffcc00", "#FFF"], "color, required"],
    ["Box", ["007", "012", "113"], "text ..40, required"],
    ["State", ["weak", "strong ", "Weak", "strong"], "choice weak | strong, required"],
    ["Notes", ["calm", "wild", "calm", ""], "long text"],
    ["Remark", ["two\nlines", "one"], "long text"],
  ])("%s with %j is %s", (header, values, definition) => {
    // The first column would be taken for what the rows are called.
    const rows = column(header, many(values)).map(([cell], at) => [
      at === 0 ? "Code" : `C-${at}`,
      cell ?? null,
    ]);
    const field = Object.entries(proposed({ Sheet: rows }).fields)[1];
    expect(field?.[1]).toBe(
      definition === "email, required, unique" ? "email, required" : definition,
    );
  });

  it("whose dates don't tell the order of day and month says so, and follows one that does", () => {
    const open = many(["3/4/2026", "5/6/2026"]);
    const alone = proposed({ Visits: column("On", open) });
    expect(alone.notes.sheets[0]?.fields.get("on")?.guess).toMatch(/day or the month/);
    const beside = proposed({
      Visits: [["On", "Until"], ...open.map((value) => [value, "12/31/2026"])],
    });
    expect(beside.plan.sheets[0]?.fields.map(({ dates }) => dates)).toEqual([
      "month first",
      "month first",
    ]);
  });

  it("with a mistake keeps its type, and names the cell", () => {
    const { notes, fields } = proposed({
      Visits: column("Frames", [...many(["3", "4", "5"]), "lots"]),
    });
    expect(Object.values(fields)).toEqual(["integer"]);
    expect(notes.sheets[0]?.fields.get("frames")?.setAside).toEqual({
      count: 1,
      cells: [{ address: "A14", text: "lots", reason: "not a number" }],
    });
  });

  it("with a misspelt choice names what was meant", () => {
    const { notes } = proposed({
      Hives: column("State", [...many(["active", "retired"], 20), "actve"]),
    });
    expect(notes.sheets[0]?.fields.get("state")?.setAside?.cells[0]?.near).toBe("active");
  });
});

describe("the table of a sheet", () => {
  const body = Array.from({ length: 6 }, (_, at) => [`H-${at}`, "Linden", at]);

  it("is found below titles and blank rows", () => {
    const rows = [["Our hives"], [], ["Code", "Apiary", "Frames"], ...body];
    expect(findLayout(rows)).toMatchObject({ header: { first: 3, last: 3 }, firstRow: 4 });
  });

  it("may have a header of two lines, merged or not", () => {
    const rows = [
      ["Hive", "", "Brood", ""],
      ["Code", "Apiary", "Frames", "Seen"],
      ...body.map((row) => [...row, "yes"]),
    ];
    const titles = ["Hive Code", "Hive Apiary", "Brood Frames", "Brood Seen"];
    const merges = [
      { top: 1, bottom: 1, left: 0, right: 1 },
      { top: 1, bottom: 1, left: 2, right: 3 },
    ];
    for (const layout of [findLayout(rows), findLayout(rows, merges)]) {
      expect(layout?.columns.map(({ header }) => header)).toEqual(titles);
      expect(layout?.firstRow).toBe(3);
    }
  });

  it("may have units below its header, or a column a year", () => {
    const units = [
      ["Code", "Length", "Weight"],
      [null, "m", "kg"],
      ["B-1", 6, 400],
      ["B-2", 7, 500],
    ];
    const { fields } = proposed({ Boats: units });
    expect(fields).toMatchObject({
      "Boat.length": "integer 0.., required, unit m",
      "Boat.weight": "integer 0.., required, unit kg",
    });
    const years = [
      ["Species", 2024, 2025],
      ["Hake", 3, 4],
      ["Squid", 5, 6],
    ];
    expect(findLayout(years)?.columns.map(({ header }) => header)).toEqual([
      "Species",
      "2024",
      "2025",
    ]);
    expect(
      findLayout([
        ["Linden", 2015, 1999],
        ["Mill", 2016, 2001],
      ])?.header,
    ).toBeUndefined();
  });

  it("may have no header, blank columns, and notes beside it", () => {
    expect(findLayout(body)?.header).toBeUndefined();
    const rows = [
      ["Code", null, "Frames"],
      ...body.map(([code, , frames]) => [code as Cell, null, frames as Cell]),
    ];
    rows[2] = [...(rows[2] as Cell[]), null, "ask Ben"];
    expect(findLayout(rows)?.columns.map(({ column: at }) => at)).toEqual([0, 2]);
  });

  it("ends before totals and notes, and skips a header that comes again", () => {
    const rows = [
      ["Code", "Apiary", "Frames"],
      ...body,
      ["Code", "Apiary", "Frames"],
      ["Total", null, 15],
      [],
      ["Counted by Ana"],
    ];
    const { profile } = profiled("Hives", rows);
    expect(profile.rows).toBe(6);
    expect([...profile.leftOut].map(([kind, { count }]) => [kind, count])).toEqual([
      ["header again", 1],
      ["total", 1],
      ["note", 1],
    ]);
  });

  it("is none in a blank sheet", () => expect(findLayout([[], [null, " "]])).toBeUndefined());
});

describe("sheets together", () => {
  const apiaries: Cell[][] = [
    ["Name", "Town"],
    ["Linden", "Alder"],
    ["Mill", "Stone"],
    ["Quarry", "Fern"],
  ];
  const hives = (names: string[]) => [
    ["Code", "Apiary"],
    ...names.map((name, at) => [`B-${at}`, name]),
  ];

  it("become entities that refer to one another by name", () => {
    const { fields, model } = proposed({
      Hives: hives(["Linden", "mill ", "Quarry", "Linden"]),
      Apiaries: apiaries,
    });
    expect(fields).toEqual({
      "Hive.code": "text ..40, required, unique",
      "Hive.apiary": "one Apiary, required",
      "Apiary.name": "text ..40, required, unique",
      "Apiary.town": "text ..40, required",
    });
    expect(model?.entities.map(({ title }) => title)).toEqual([
      [{ field: "code" }],
      [{ field: "name" }],
    ]);
  });

  it("tell the nearest of a misspelt name", () => {
    const { notes, fields } = proposed({
      Hives: hives([
        "Linden",
        "Mill",
        "Quarry",
        "Linden",
        "Mill",
        "Quarry",
        "Linden",
        "Mill",
        "Quarry",
        "Linden",
        "Mill",
        "Quarry",
        "Lindn",
      ]),
      Apiaries: apiaries,
    });
    expect(fields["Hive.apiary"]).toBe("one Apiary");
    expect(notes.sheets[0]?.fields.get("apiary")?.setAside?.cells).toEqual([
      { address: "B14", text: "Lindn", reason: "not among the apiaries", near: "Linden" },
    ]);
  });

  it("refer to several by a list, to their own kind, and by numbers", () => {
    const { fields } = proposed({
      Keepers: [
        ["Id", "Name", "Mentor"],
        [1, "Ana", null],
        [2, "Ben", "Ana"],
        [3, "Cid Ruiz, jr", "Ben"],
        [4, "Eva", "Ana"],
      ],
      Hives: [
        ["Code", "Keepers", "Keeper id"],
        ["B-1", "Ana; Ben", 4],
        ["B-2", "Cid Ruiz, jr", 3],
        ["B-3", "Ben and Ana", 2],
        ["B-4", "Eva", 2],
      ],
    });
    expect(fields).toMatchObject({
      "Keeper.sheet_id": "integer, required, unique, label Id",
      "Keeper.mentor": "one Keeper",
      "Hive.keepers": "many Keeper",
      "Hive.keeper": "one Keeper, required, label Keeper id",
    });
  });

  it("refer to their own kind by numbers, and are called by names, not by codes of digits", () => {
    const rows = [
      ["Id", "Parent id", "Label"],
      [1, null, "root"],
      [2, 1, "leaf"],
      [3, 1, "fork"],
      [4, 3, "tip"],
    ];
    const { fields, plan } = proposed({ Twigs: rows });
    expect(fields["Twig.parent"]).toBe("one Twig, label Parent id");
    expect(plan.sheets[0]?.title).toBe("{label}");
  });

  it("don't refer by numbers that meet by accident", () => {
    const { fields } = proposed({
      Hives: [["Number", "Boxes"], ...Array.from({ length: 9 }, (_, at) => [at + 1, (at % 3) + 1])],
    });
    expect(fields["Hive.boxes"]).toBe("integer, required");
  });

  it("propose an entity of their own for what repeats together, and say what contradicts", () => {
    const places: Cell[][] = [
      ["Linden", "Alder", 400],
      ["Mill", "Alder", 390],
      ["Quarry", "Stone", 640],
    ];
    const rows = Array.from(
      { length: 30 },
      (_, at) => [`B-${at}`, ...(places[at % 3] as Cell[]), at / 2] as Cell[],
    );
    (rows[12] as Cell[])[2] = "Elder";
    const { plan, notes } = proposed({
      Hives: [["Code", "Apiary", "Town", "Elevation", "Weight"], ...rows],
    });
    expect(plan.sheets[0]?.splits).toEqual([
      { entity: "Apiary", by: "apiary", with: ["town", "elevation"], do: false },
    ]);
    expect(notes.sheets[0]?.splits.get("Apiary")?.[1]).toBe("Town contradicts in C14");
  });
});

describe("plans", () => {
  it("give models that are right, whatever the titles are, and read back as they were printed", () => {
    const title = fc.oneof(
      fc.constantFrom(
        "id",
        "select",
        "__proto__",
        "constructor",
        "then",
        "Hive",
        "hive id",
        "hive_title",
        "Code",
        "2026",
        "",
        "Größe (m)",
        "コード",
        "\uffa0",
        "a\u3164",
        "\u034f",
      ),
      fc.string({ unit: "grapheme", maxLength: 30 }).filter((text) => !/^[\d\s.,+-]*$/.test(text)),
    );
    const sheets = fc.record({
      name: fc.constantFrom("Hives", "Nul", "select", "2026", "Sheet1", "sqlite", "bees & more"),
      titles: fc.uniqueArray(title, { minLength: 1, maxLength: 6 }),
    });
    fc.assert(
      fc.property(sheets, ({ name, titles }) => {
        const rows: Cell[][] = [
          titles,
          ...Array.from({ length: 4 }, (_, at) =>
            titles.map((_, place) => (place === 1 ? "K-1" : `K-${at}`)),
          ),
        ];
        const { plan, notes, planned } = proposed({
          [name]: rows,
          Hives2: [
            ["Hive", "Weight"],
            ["K-1", 1],
            ["K-2", 3],
          ],
        });
        expect(planned.errors).toEqual([]);
        const text = printPlan(plan, notes);
        expect(readPlan(text).diagnostics).toEqual([]);
        expect(readPlan(text).plan).toEqual(plan);
      }),
      runs(200),
    );
  });

  it.each([
    ["plan: 2\n", "expected 1"],
    ["sheets: [", "Flow sequence"],
    [
      printPlan(proposed({ Hives: column("Code", ["a", "b"]) }).plan).replace(
        "header: 1",
        "header: first",
      ),
      "expected a row",
    ],
    [
      printPlan(proposed({ Hives: column("Code", ["a", "b"]) }).plan).replace("rows:", "row:"),
      "there is no `row` here",
    ],
  ])("point at what is wrong", (text, message) => {
    const { plan, diagnostics } = readPlan(text);
    expect(plan).toBeUndefined();
    expect(diagnostics.map((each) => each.message).join("\n")).toContain(message);
  });
});
