import { execFile } from "node:child_process";
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it, onTestFinished } from "vitest";
import { rowsOf } from "../support/database.ts";
import { kinds, projectOn, type TestProject } from "../support/kinds.ts";
import { levadura, repository, temporaryFolder } from "../support/program.ts";

/** A project with this model and these data files, its database made. */
async function projectWithData(
  kind: (typeof kinds)[number],
  model: string,
  data: Record<string, string>,
): Promise<TestProject> {
  const head = "levadura: 1\napp: {name: Bees, timezone: Europe/Madrid, database: sqlite}";
  const project = projectOn(kind, `${head}\nentities:\n${model}`);
  onTestFinished(project.remove);
  writeData(project.folder, data);
  for (const command of ["prepare", "migrate"]) {
    const run = await levadura([command], project.folder);
    expect(run.status, run.err).toBe(0);
  }
  return project;
}

function writeData(folder: string, data: Record<string, string>): void {
  mkdirSync(join(folder, "data"), { recursive: true });
  for (const [entity, text] of Object.entries(data))
    writeFileSync(join(folder, "data", `${entity}.csv`), text);
}

/** Loads what stands in data/; gives the counts by entity. */
async function load(folder: string, ...args: string[]) {
  const { status, out, err } = await levadura(["import", "--yes", "--json", ...args], folder);
  if (status !== 0) return { status, error: JSON.parse(out || err).error as string };
  const loaded = JSON.parse(out).loaded as Record<string, unknown>[];
  return Object.fromEntries(
    loaded.map(({ entity, added, changed, same, missing }) => [
      entity,
      [added, changed, same, missing],
    ]),
  );
}

describe.each(kinds)("data files, on $kind,", (kind) => {
  it("miss nothing that the model asks for", async () => {
    const { folder, rows } = await projectWithData(
      kind,
      "  Remedy:\n    fields:\n      name: text, required, unique\n    seed: [{name: thymol}, {name: oxalic acid}]\n",
      { Remedy: "name\nformic acid\nlactic acid\n" },
    );
    const names = async () =>
      (await rows<{ name: string }>("select name from remedy order by name")).map(
        ({ name }) => name,
      );
    await load(folder, "--delete-missing");
    expect(await names()).toEqual(["formic acid", "lactic acid", "oxalic acid", "thymol"]);
    writeData(folder, { Remedy: "name\nlactic acid\n" });
    await load(folder, "--delete-missing");
    expect(await names()).toEqual(["lactic acid", "oxalic acid", "thymol"]);
    const path = join(folder, "model.yaml");
    writeFileSync(path, readFileSync(path, "utf8").replace("{name: thymol}, ", ""));
    await load(folder, "--delete-missing");
    expect(await names()).toEqual(["lactic acid", "oxalic acid", "thymol"]);
  });

  it("hold values of every kind, blank ones too", async () => {
    const { folder, rows } = await projectWithData(
      kind,
      "  Visit:\n    fields:\n      code: text, required, unique\n      begun: datetime\n      at: time\n      took: duration\n      seen: boolean\n      weight: decimal, places 3\n      paid: money\n      state: choice calm | wild\n      roof: color\n      notes: long text\n",
      {
        Visit:
          'code,begun,at,took,seen,weight,paid,state,roof,notes\nV-1,2026-07-01T09:30,09:30,0:01:20.4,yes,1.125,9.5,calm,#ffcc00,"two\nlines, ""quoted"""\nV-2,2026-07-01T09:30Z,,26:30,no,,,,,\nV-3,,,,,,,,,\n',
      },
    );
    expect(await load(folder)).toEqual({ Visit: [3, 0, 0, 0] });
    const found = await rows(
      "select code, begun, at, took, seen, weight, paid, state, roof, notes from visit order by id",
    );
    expect(found.map((row) => Object.values(row))).toEqual([
      [
        "V-1",
        "2026-07-01T07:30:00Z",
        "09:30",
        80.4,
        1,
        1.125,
        9.5,
        "calm",
        "#ffcc00",
        'two\nlines, "quoted"',
      ],
      ["V-2", "2026-07-01T09:30:00Z", null, 95400, 0, null, null, null, null, null],
      ["V-3", null, null, null, 0, null, null, null, null, null],
    ]);
    expect(await load(folder)).toEqual({});
  });

  it("are matched row by row where nothing tells rows apart, each once", async () => {
    const { folder, rows } = await projectWithData(
      kind,
      "  Weighing:\n    fields:\n      hive: text\n      weight: integer\n",
      {
        Weighing: "hive,weight\nB-1,10\nB-1,10\nB-2,\n",
      },
    );
    expect(await load(folder)).toEqual({ Weighing: [3, 0, 0, 0] });
    writeData(folder, { Weighing: "hive,weight\nB-1,10\nB-1,10\nB-1,10\nB-3,4\n" });
    expect(await load(folder)).toEqual({ Weighing: [2, 0, 2, 1] });
    expect((await rows("select * from weighing")).length).toBe(5);
    expect(await load(folder, "--delete-missing")).toEqual({});
  });

  it("are matched by fields that are unique together, references among them", async () => {
    const { folder, rows } = await projectWithData(
      kind,
      "  Hive:\n    fields:\n      code: text, required, unique\n  Visit:\n    unique: [hive, date, place]\n    fields:\n      hive: one Hive, required\n      date: date, required\n      place: text, required\n      frames: integer\n",
      {
        Hive: "code\nB-1\nB-2\n",
        Visit: "hive,date,place,frames\nB-1,2026-01-02,Loma,8\nB-2,2026-01-02,Loma,7\n",
      },
    );
    expect(await load(folder)).toEqual({ Hive: [2, 0, 0, 0], Visit: [2, 0, 0, 0] });
    writeData(folder, {
      Visit:
        "hive,date,place,frames\nb-1,2026-01-02,loma,8\nB-2,2026-01-02,Loma,5\nB-1,2026-01-02,Vega,4\n",
    });
    expect(await load(folder)).toEqual({ Visit: [1, 2, 0, 0] });
    expect(
      (await rows("select frames from visit order by id")).map((row) => Number(row.frames)),
    ).toEqual([8, 5, 4]);
    writeData(folder, {
      Visit: "hive,date,place,frames\nB-1,2026-01-02,Loma,8\nB-1,2026-01-02,Loma,9\n",
    });
    const { status, err } = await levadura(["import", "--yes"], folder);
    expect([status, err]).toEqual([
      1,
      expect.stringMatching(/date .*2026-01-02.* and place "Loma" 2 times/),
    ]);
  });

  it("may refer to one another in a circle, to their own kind, and to many", async () => {
    const { folder, rows } = await projectWithData(
      kind,
      "  Hive:\n    fields:\n      code: text, required, unique\n      queen: one Queen\n      helpers: many Keeper\n  Queen:\n    fields:\n      mark: text, required, unique\n      hive: one Hive, required\n      mother: one Queen\n  Keeper:\n    fields:\n      name: text, required, unique\n",
      {
        Hive: 'code,queen,helpers\nB-1,Q-2,"Ana\nBen"\nB-2,,\n',
        Queen: "mark,hive,mother\nQ-1,B-1,Q-2\nQ-2,b-2,\n",
        Keeper: "name\nAna\nBen\n",
      },
    );
    expect(await load(folder)).toEqual({
      Hive: [2, 0, 0, 0],
      Queen: [2, 0, 0, 0],
      Keeper: [2, 0, 0, 0],
    });
    const linked =
      "select h.code, q.mark, (select count(*) from hive_helpers l where l.hive_id = h.id) as helpers from hive h left join queen q on q.id = h.queen_id order by 1";
    expect((await rows(linked)).map((row) => Object.values(row))).toEqual([
      ["B-1", "Q-2", 2],
      ["B-2", null, 0],
    ]);
    writeData(folder, { Hive: 'code,queen,helpers\nB-1,,"Ben"\nB-2,Q-1,\n' });
    expect(await load(folder)).toEqual({ Hive: [0, 2, 0, 0] });
    expect((await rows(linked)).map((row) => Object.values(row))).toEqual([
      ["B-1", null, 1],
      ["B-2", "Q-1", 0],
    ]);
  });

  it.each<[string, string, RegExp]>([
    [
      "code,weight\nB-1,1\nB-1,2\n",
      "twice",
      /a value of code, which must be the only one, is there already|has the code "B-1" 2 times/,
    ],
    ["code,weight\n,1\n", "without a key", /cell A2: Code is required, and there is no value/],
    ["code,weight\nB-1,500\n", "out of range", /cell B2: "500" is more than 100/],
    ["code,weight,code\nB-1,1,2\n", "a column twice", /cell C1: `code` stands in the header twice/],
    ["code,weight\nB-1,1,3\n", "ragged", /row 2: 3 cells, where the header has 2/],
    ["", "without a header", /has no header|is empty/],
  ])("that are wrong load nothing: %j, %s", async (text, _what, message) => {
    const { folder, rows } = await projectWithData(
      kind,
      "  Hive:\n    fields:\n      code: text, required, unique\n      weight: integer 0..100\n",
      { Hive: text },
    );
    const loaded = await load(folder);
    expect(loaded).toMatchObject({ status: 1, error: expect.stringMatching(message) });
    expect(await rows("select * from hive")).toEqual([]);
  });

  it("delete nothing that others refer to", async () => {
    const { folder, rows } = await projectWithData(
      kind,
      "  Apiary:\n    fields:\n      name: text, required, unique\n  Hive:\n    fields:\n      code: text, required, unique\n      apiary: one Apiary\n",
      { Apiary: "name\nLinden\nMill\n", Hive: "code,apiary\nB-1,Mill\n" },
    );
    await load(folder);
    writeData(folder, { Apiary: "name\nLinden\n" });
    const refused = await load(folder, "--delete-missing");
    expect(refused).toMatchObject({
      status: 1,
      error: expect.stringContaining("rows that stay refer to some that would be deleted"),
    });
    writeData(folder, { Hive: "code,apiary\nB-1,Linden\n" });
    expect(await load(folder, "--delete-missing")).toEqual({
      Apiary: [0, 0, 1, 0],
      Hive: [0, 1, 0, 0],
    });
    expect(await rows("select name from apiary")).toEqual([{ name: "Linden" }]);
  });

  it.runIf(kind.kind === "sqlite")(
    "keep the indexes and the checks of the table that they fill",
    async () => {
      const { folder } = await projectWithData(
        kind,
        "  Hive:\n    fields:\n      code: text, required, unique\n      weight: integer 0..100\n",
        { Hive: "code,weight\nB-1,5\n" },
      );
      const schema = () =>
        rowsOf(
          join(folder, "records.db"),
          "select name, sql from sqlite_schema where tbl_name = 'hive' order by name",
        );
      const before = schema();
      await load(folder);
      expect(schema()).toEqual(before);
    },
  );
});

describe("a person at a terminal", () => {
  /** Runs the program in a terminal of its own, and types the answers to its questions. */
  function typed(command: string, folder: string, ...answers: string[]): Promise<string> {
    return new Promise((resolve) => {
      const line = `${process.execPath} ${join(repository, "bin", "levadura.js")} ${command}`;
      const child = execFile(
        "script",
        ["-qec", line, "/dev/null"],
        { cwd: folder },
        (_error, out) => resolve(out),
      );
      // A question is asked once everything was read.
      const left = [...answers];
      child.stdout?.on("data", (text: string) => {
        if (/\[y\/N\]|Which\?/.test(text)) child.stdin?.write(`${left.shift() ?? "no"}\n`);
      });
    });
  }

  it("is asked, and only a yes writes", async () => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, "hives.csv"), "code,weight\nB-1,1\nB-2,2\n");
    expect(await typed("import hives.csv", folder, "no")).toContain("Nothing was written.");
    expect(readdirSync(folder)).toEqual(["hives.csv"]);
    expect(await typed("import hives.csv", folder, "y")).toContain("Wrote data/Hive.csv");
    expect(readFileSync(join(folder, "data/Hive.csv"), "utf8")).toBe("code,weight\nB-1,1\nB-2,2\n");
    rmSync(join(folder, "hives.csv"));
  });

  it("is asked what the sheet leaves open, each with what the answers make of its cells", async () => {
    const folder = temporaryFolder();
    writeFileSync(
      join(folder, "dues.csv"),
      "Payer,Paid on,Share\nAda,03/04/2024,0.8\nBo,05/06/2024,91%\nCy,07/08/2024,45%\n",
    );
    // An answer that is none is asked for again.
    const said = await typed("import dues.csv", folder, "2", "9", "3", "y");
    // biome-ignore lint/suspicious/noControlCharactersInRegex: the colours of a terminal begin with one
    const out = said.replace(/\x1b\[[0-9;]*[A-Za-z]/g, "");
    expect(out).toMatch(
      /Paid on: Which is first, the day or the month\? \(1 of 2\)\s+1 {2}day first/,
    );
    expect(out).toMatch(/2 {2}month first +"03\/04\/2024" → 2024-03-04/);
    expect(out).toMatch(/3 {2}fractions.* +"0.8" → 80/);
    expect(readFileSync(join(folder, "data/Due.csv"), "utf8")).toBe(
      "payer,paid_on,share\nAda,2024-03-04,80\nBo,2024-05-06,91\nCy,2024-07-08,45\n",
    );
    const plan = readFileSync(join(folder, "imports/dues.yaml"), "utf8");
    expect(plan).toContain("dates: month first");
    expect(plan).not.toContain("Open question");
  });
});
