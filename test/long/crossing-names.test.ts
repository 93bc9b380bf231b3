import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterEach, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "../support/kinds.ts";
import { levadura } from "../support/program.ts";

const head = "levadura: 1\napp: {name: Hive Book, database: sqlite, timezone: America/New_York}\n";
const hive = (fields: string) =>
  `${head}entities:\n  Hive:\n    fields:\n      code: text, required\n${fields}`;

describe.each(kinds)("names that cross, over $kind,", (kind) => {
  let project: TestProject;
  afterEach(() => project.remove());

  async function run(line: string) {
    const { status, out, err } = await levadura(line.split(" "), project.folder);
    return { status, said: out + err };
  }
  async function migrated(model: string): Promise<void> {
    const text = model.replace("database: sqlite", `database: ${kind.kind}`);
    writeFileSync(join(project.folder, "model.yaml"), text);
    for (const line of ["prepare", "migrate"])
      expect(await run(line), model).toMatchObject({ status: 0, said: expect.any(String) });
    expect(await run("changes --check")).toMatchObject({
      status: 0,
      said: expect.stringContaining("agree"),
    });
  }
  const moment = kind.kind === "mariadb" ? "2026-05-03 07:00:00" : "2026-05-03T07:00:00Z";
  const insert = (table: string, columns: string, values: string) =>
    project.rows(
      `insert into ${table} (${columns}, created_at, updated_at) values (${values}, '${moment}', '${moment}')`,
    );
  const column = async (name: string, table = "hive") =>
    (await project.rows(`select ${name} as x from ${table} order by id`)).map(({ x }) => x);

  it("swap the values of fields, in circles of any length, and back", async () => {
    project = projectOn(
      kind,
      hive("      a: text\n      b: text\n      c: integer\n      d: text\n"),
    );
    await migrated(hive("      a: text\n      b: text\n      c: integer\n      d: text\n"));
    await insert("hive", "code, a, b, c, d", "'H', 'in a', 'in b', 3, '4'");
    const next = hive(
      "      a: text, was b\n      b: text, was a\n      c: integer, was d\n      d: text, was c\n",
    );
    await migrated(next);
    expect(await project.rows("select a, b, c, d from hive")).toEqual([
      { a: "in b", b: "in a", c: 4, d: "3" },
    ]);
    expect(await run("rewind --yes")).toMatchObject({ status: 0 });
    expect(await project.rows("select a, b, c, d from hive")).toEqual([
      { a: "in a", b: "in b", c: 3, d: "4" },
    ]);
    await migrated(
      hive(
        "      a: text, was b\n      b: text, was d\n      d: text, was a\n      c: integer\n",
      ).replace("      c:", "      e: text\n      c:"),
    );
    expect(await project.rows("select a, b, d from hive")).toEqual([
      { a: "in a", b: "3", d: "in b" },
    ]);
  });

  it("swap choices, pass them on and merge them, and back", async () => {
    const choices = (all: string) => hive(`      colour: choice ${all}\n`);
    project = projectOn(kind, choices("red | blue | green"));
    await migrated(choices("red | blue | green"));
    for (const colour of ["red", "blue", "green"])
      await insert("hive", "code, colour", `'${colour}', '${colour}'`);
    await migrated(choices("red was blue | blue was red | green"));
    expect(await column("colour")).toEqual(["blue", "red", "green"]);
    await migrated(choices("blue was red | navy was blue | green"));
    expect(await column("colour")).toEqual(["navy", "blue", "green"]);
    await migrated(choices("green was navy | blue"));
    expect(await column("colour")).toEqual(["green", "blue", "green"]);
    await insert("hive", "code, colour", "'new', 'green'");
    await run("rewind --yes");
    expect(await column("colour")).toEqual(["navy", "blue", "green", "green"]);
    await run("rewind --yes");
    expect(await column("colour")).toEqual(["blue", "red", "green", "green"]);
    await run("rewind --yes");
    expect(await column("colour")).toEqual(["red", "blue", "green", "green"]);
  });

  it("swap entities, with their links and what refers to them", async () => {
    const model = (first: string, second: string, links: string) => `${head}entities:
  Box: {${first}fields: {code: "text, required", friends: many Keeper}}
  Hive: {${second}fields: {code: "text, required"}}
  Keeper: {fields: {name: "text, required"}}
  Visit: {fields: {to: one ${links}, at: date}}
`;
    project = projectOn(kind, model("", "", "Box"));
    await migrated(model("", "", "Box"));
    await insert("box", "code", "'box'");
    await insert("hive", "code", "'hive'");
    await insert("keeper", "name", "'Ana'");
    await insert("visit", "to_id", "1");
    await project.rows("insert into box_friends (box_id, keeper_id) values (1, 1)");
    const swapped = model("was: Hive, ", "was: Box, ", "Hive")
      .replace(", friends: many Keeper", "")
      .replace(
        'Hive: {was: Box, fields: {code: "text, required"',
        'Hive: {was: Box, fields: {code: "text, required", friends: many Keeper',
      );
    await migrated(swapped);
    expect([await column("code", "box"), await column("code", "hive")]).toEqual([
      ["hive"],
      ["box"],
    ]);
    expect(await project.rows("select * from hive_friends")).toEqual([
      { hive_id: 1, keeper_id: 1 },
    ]);
    expect(await column("to_id", "visit")).toEqual([1]);
    await run("rewind --yes");
    expect([await column("code", "box"), await column("code", "hive")]).toEqual([
      ["box"],
      ["hive"],
    ]);
  });

  it("are refused with words where they can't be meant", async () => {
    project = projectOn(kind, hive("      a: text\n      colour: choice red | blue\n"));
    await migrated(hive("      a: text\n      colour: choice red | blue\n"));
    const refused: [string, string][] = [
      [
        "      a: text\n      x: text\n      y: text, was x\n      colour: choice red | blue\n",
        "hive.y is new, and was x",
      ],
      ["      colour: text, was a\n", "hive.colour was a, and both are there"],
      ["      b: text, was a\n      c: text, was a\n", "`b` and `c` both were `a`"],
      ["      a: text, was a\n", "was itself"],
      [
        "      a: text\n      colour: choice red | blue | navy was blue\n",
        "was `blue`, which is still a choice",
      ],
      ["      colour: choice navy was blue | sky was blue\n", "`navy` and `sky` both were `blue`"],
    ];
    for (const [fields, said] of refused) {
      const text = hive(fields).replace("database: sqlite", `database: ${kind.kind}`);
      writeFileSync(join(project.folder, "model.yaml"), text);
      const answer = await run("prepare --accept-loss hive.a --accept-loss hive.colour");
      const plain = answer.said.includes("no change throws that away")
        ? await run("prepare")
        : answer;
      expect([fields, plain.status, plain.said]).toEqual([
        fields,
        1,
        expect.stringContaining(said),
      ]);
    }
  });

  it("keep days and moments by the application's clock, and count what they lose", async () => {
    project = projectOn(kind, hive("      day: date\n      seen: datetime\n"));
    await migrated(hive("      day: date\n      seen: datetime\n"));
    const seen = kind.kind === "mariadb" ? "2026-03-10 03:30:00" : "2026-03-10T03:30:00Z";
    await insert("hive", "code, day, seen", `'H', '2026-03-10', '${seen}'`);
    const next = hive("      day: datetime\n      seen: date\n");
    writeFileSync(
      join(project.folder, "model.yaml"),
      next.replace("database: sqlite", `database: ${kind.kind}`),
    );
    expect((await run("changes")).said).toContain(
      "1 row of hive has a seen that is no longer allowed",
    );
    expect(await run("prepare --accept-loss hive.seen")).toMatchObject({ status: 0 });
    expect(await run("migrate")).toMatchObject({ status: 0 });
    expect(await project.rows("select day, seen from hive")).toEqual([
      { day: "2026-03-10T04:00:00Z", seen: "2026-03-09" },
    ]);
    expect(await run("rewind --yes")).toMatchObject({ status: 0 });
    expect(await project.rows("select day, seen from hive")).toEqual([
      { day: "2026-03-10", seen: "2026-03-10T03:30:00Z" },
    ]);
  });
});
