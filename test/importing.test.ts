import { deflateRawSync } from "node:zlib";
import Excel from "exceljs";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn } from "./support/kinds.ts";
import { levadura, type Running, running } from "./support/program.ts";
import { type Answer, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app:
  name: Hive Book
  database: sqlite
entities:
  Apiary:
    title: "{name}"
    fields: {name: "text, required, unique"}
  Keeper:
    title: "{name}"
    fields: {name: "text, required"}
  Hive:
    title: "{code}"
    fields:
      code: text ..12, required, unique
      apiary: one Apiary, required
      keepers: many Keeper
      status: choice active | weak, default active, required
      sunny: boolean
      frames: integer 0..20, default 10
      weight: decimal 0..80, places 1, unit kg
      installed: date
      seen: datetime
      removed: date, shown when status = 'weak'
      notes: long text
    columns: [code, apiary, keepers, status, sunny, frames, weight, installed, seen, removed, notes]
    sort: code
    rules:
      - Only sunny places take so many frames.: "= frames is empty or frames < 15 or sunny"
`;

describe.each(kinds)("importing a file into a list over $kind", (kind) => {
  const { folder, rows, remove } = projectOn(kind, model);
  let server: Running;
  let visitor: Visitor;

  beforeAll(async () => {
    for (const command of ["prepare", "migrate", "build"])
      expect((await levadura([command], folder)).status).toBe(0);
    server = await running(["serve"], folder);
    visitor = new Visitor(server.address);
    for (const name of ["Mill Meadow", "Quarry Edge"])
      await visitor.post("/apiaries/new", { name });
    for (const name of ["Ana", "Ben", "Ben"]) await visitor.post("/keepers/new", { name });
    for (const [at, code] of ["A1", "=A2", "A3"].entries())
      await visitor.post("/hives/new", {
        code,
        apiary_id: String(1 + (at % 2)),
        keepers: ["1"],
        status: at === 1 ? "weak" : "active",
        sunny: at === 0 ? "yes" : "",
        frames: String(at * 5),
        weight: String(at + 0.5),
        installed: "2026-05-03",
        seen: "2026-05-03 07:30",
        notes: 'one\ntwo, "three"',
      });
  }, 60_000);
  afterAll(async () => {
    await server.stop();
    await remove();
  });

  const hives = () => rows("select code, status, frames, notes, version from hive order by id");
  const start = (content: string | Uint8Array<ArrayBuffer>) =>
    visitor.upload("/hives/import", { file: new File([content], "hives.csv") });
  /** Sends the form of a page on, with some of its inputs typed over. */
  const goOn = (page: Answer, typed: Record<string, string> = {}) => {
    const fields: Record<string, string> = {};
    for (const [tag] of page.html.matchAll(/<input[^>]*type="hidden"[^>]*>/g)) {
      const [, name = ""] = /name="([^"]*)"/.exec(tag) ?? [];
      const [, value = ""] = /value="([^"]*)"/.exec(tag) ?? [];
      fields[name] = unescaped(value);
    }
    for (const [, name = "", options = ""] of page.html.matchAll(
      /<select[^>]*name="([^"]*)"[^>]*>(.*?)<\/select>/gs,
    ))
      fields[name] = /value="([^"]*)" selected/.exec(options)?.[1] ?? "";
    return visitor.upload("/hives/import", { ...fields, ...typed });
  };
  const unescaped = (text: string) =>
    text.replace(
      /&(quot|lt|gt|#39|amp);/g,
      (_, sign: string) => ({ quot: '"', lt: "<", gt: ">", "#39": "'", amp: "&" })[sign] ?? "",
    );
  const preview = async (content: string | Uint8Array<ArrayBuffer>) => goOn(await start(content));
  const save = (page: Answer) => goOn(page, { do: "save" });

  it("finds nothing to change in what the list itself exported, as text and as workbook", async () => {
    for (const format of ["csv", "xlsx"]) {
      const answer = await fetch(`${server.address}/hives/export/${format}`);
      const page = await preview(new Uint8Array(await answer.arrayBuffer()));
      expect([format, textOf(page.html)]).toEqual([
        format,
        expect.stringContaining("Same as saved: 3"),
      ]);
      expect(page.html).not.toMatch(/Refused|Changed:/);
    }
  });

  it("says of each row what becomes of it before anything is saved, and then does that", async () => {
    const before = await hives();
    const page = await preview(
      [
        "Code;Apiary;Status;Frames;Notes;Colour",
        "A1;Mill Meadow;WEAK;3;;red",
        "B1;Nowhere;Active;1;;red",
        "B2;Quarry Edge;;;<b>new</b>;red",
        "B3;Quarry Edge;Active;19;;red",
        "B4;Quarry Edge;Active;many;;red",
        "B2;Quarry Edge;Active;1;;red",
      ].join("\n"),
    );
    const text = textOf(page.html);
    expect(text).toContain("Refused: 3");
    expect(text).toContain("Row 2 B1 Apiary: None is called “Nowhere”.");
    expect(text).toContain("Only sunny places take so many frames.");
    expect(text).toContain("Frames: Use a whole number.");
    expect(text).toContain("Changed: 1");
    expect(text).toContain("Status: Active WEAK");
    expect(text).toContain("New: 2");
    expect(page.html).not.toContain("<b>new</b>");
    expect(await hives()).toEqual(before);
    const done = await save(page);
    // What only shows when rows are saved one after the other is said then.
    expect(textOf(done.html)).toContain("Row 6 B2 Code: Another hive has this already.");
    expect(textOf(done.html)).toContain("Added: 1");
    const [first, ...others] = await hives();
    expect(first).toMatchObject({
      code: "A1",
      status: "weak",
      frames: 3,
      notes: 'one\ntwo, "three"',
    });
    expect(others.at(-1)).toMatchObject({
      code: "B2",
      status: "active",
      frames: 10,
      notes: "<b>new</b>",
    });
    expect(others).toHaveLength(3);
  });

  it("saves a preview once, however often it is sent", async () => {
    const page = await preview("Code,Apiary\nC1,Mill Meadow\nC2,Mill Meadow\n");
    const answers = await Promise.all([save(page), save(page)]);
    await save(page);
    for (const { status } of answers) expect(status).toBe(200);
    expect((await hives()).filter(({ code }) => String(code).startsWith("C"))).toHaveLength(2);
  });

  it("recognises records by their number, and clears cells where that is asked for", async () => {
    const [one] = await rows<{ id: number }>("select id from hive where code = 'A1'");
    const mapped = await start(`Number,Notes\n${one?.id},\n987654,x\n`);
    expect(textOf((await goOn(mapped)).html)).toContain("Same as saved: 1");
    const page = await goOn(mapped, { clears: "yes" });
    expect(textOf(page.html)).toContain("There is no record with this number.");
    await save(page);
    expect((await hives())[0]).toMatchObject({ code: "A1", notes: null });
  });

  it("asks which one is meant where several are called so", async () => {
    const page = await preview("Code,Apiary,Keepers\nD1,Mill Meadow,Ben; Ana\n");
    expect(textOf(page.html)).toContain("Several are called “Ben”");
  });

  it.each([
    ["nothing", ""],
    ["only titles", "Code,Apiary\n"],
    ["too many rows", `Code\n${"x\n".repeat(2001)}`],
    ["a text with NUL", "Code\nA\0B\n"],
    ["an archive of nothing", new Uint8Array([0x50, 0x4b, 3, 4, 0, 0])],
    ["a workbook that unpacks to too much", bomb()],
  ])("refuses %s with words", async (_, content) => {
    const answer = await start(content);
    expect(answer.status).toBe(422);
    expect(textOf(answer.html)).toMatch(/There are no rows|can’t be read|has more than/);
    expect((await visitor.get("/hives")).status).toBe(200);
  });

  it("takes a workbook with days, numbers, formulas and rich texts", async () => {
    const workbook = new Excel.Workbook();
    const sheet = workbook.addWorksheet("Hives");
    sheet.addRow(["Code", "Apiary", "Installed", "Weight (kg)", "Sunny", "Notes"]);
    sheet.addRow([
      "E1",
      "Mill Meadow",
      new Date("2026-02-28T00:00:00Z"),
      12.5,
      true,
      { richText: [{ text: "a" }, { text: "b" }] },
    ]);
    sheet.addRow(["E2", "Mill Meadow", null, { formula: "1+1", result: 2 }, false, "x"]);
    const page = await preview(new Uint8Array(await workbook.xlsx.writeBuffer()));
    expect(textOf(page.html)).toContain("New: 2");
    await save(page);
    const found = await rows(
      "select installed, weight, notes from hive where code in ('E1', 'E2') order by code",
    );
    expect(found.map(({ installed, weight, notes }) => [installed, Number(weight), notes])).toEqual(
      [
        ["2026-02-28", 12.5, "ab"],
        [null, 2, "x"],
      ],
    );
  });
});

/** A small archive of one file with very many zeros. */
function bomb(): Uint8Array<ArrayBuffer> {
  const name = Buffer.from("xl/sharedStrings.xml");
  const size = 200_000_000;
  const content = deflateRawSync(Buffer.alloc(size), { level: 9 });
  const common = Buffer.alloc(26);
  common.writeUInt16LE(20, 0);
  common.writeUInt16LE(8, 4);
  common.writeUInt32LE(content.length, 14);
  // It says that it is small.
  common.writeUInt32LE(1000, 18);
  common.writeUInt16LE(name.length, 22);
  const local = Buffer.concat([Buffer.from("PK\x03\x04", "latin1"), common, name, content]);
  const central = Buffer.concat([
    Buffer.from("PK\x01\x02\x14\x00", "latin1"),
    common,
    Buffer.alloc(14),
    name,
  ]);
  const end = Buffer.alloc(22);
  end.write("PK\x05\x06", "latin1");
  end.writeUInt16LE(1, 8);
  end.writeUInt16LE(1, 10);
  end.writeUInt32LE(central.length, 12);
  end.writeUInt32LE(local.length, 16);
  return new Uint8Array(Buffer.concat([local, central, end]));
}
