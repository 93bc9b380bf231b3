import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import Driver from "libsql";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn } from "./support/kinds.ts";
import { levadura, type Running, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, timezone: UTC, language: en-GB, database: sqlite}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text, required, unique
      status: choice active | weak | retired, required, default active
      installed: date
      removed: date, required when status = 'retired'
      weight: decimal
      double: "= weight * 2"
    rules:
      - It has to be there before it goes.: "= removed is empty or removed >= installed"
      - It is too heavy.: "= weight is empty or double < 100"
      - It is from the future.: "= installed is empty or installed <= today"
`;

describe.each(kinds)("rules as checks of their table over $kind", (kind) => {
  const { folder, url, rows, remove } = projectOn(kind, model);
  const path = join(folder, "model.yaml");
  const begun = readFileSync(path, "utf8");
  const run = async (...args: string[]) => {
    const done = await levadura(args, folder);
    expect(done, done.err).toMatchObject({ status: 0 });
    return done.out;
  };

  beforeAll(async () => {
    await run("prepare");
    await run("migrate");
    mkdirSync(join(folder, "data"));
    writeFileSync(
      join(folder, "data", "Hive.csv"),
      "code,status,installed,removed,weight\nA1,active,2026-01-01,,\nA2,retired,2026-01-01,2026-02-01,49.9\nA3,weak,,,3\n",
    );
    await run("import", "--yes");
  });
  afterAll(remove);

  it("hold whoever writes, as far as they look at one row", async () => {
    const moment = kind.kind === "sqlite" ? "2026-01-01T00:00:00Z" : "2026-01-01 00:00:00";
    const write = async (values: string) => {
      const statement = `insert into hive (code, status, installed, removed, weight, created_at, updated_at) values (${values}, '${moment}', '${moment}')`;
      if (kind.server) return kind.server.rowsIn(url, statement);
      const driver = new Driver(join(folder, "records.db"));
      try {
        return driver.prepare(statement).run();
      } finally {
        driver.close();
      }
    };
    for (const [values, name] of [
      ["'B1', 'retired', null, null, null", "rule_removed_status"],
      ["'B1', 'active', '2026-03-01', '2026-02-01', null", "rule_removed_installed"],
      ["'B1', 'active', null, null, 50", "rule_weight"],
    ] as const) {
      await expect(write(values)).rejects.toThrow(name);
    }
    // What looks at the day is no check.
    await write("'B1', 'active', '2099-01-01', null, 4");
    const said = await run("changes");
    expect(said).toContain("✓ Nothing: the model, the migrations and the database agree");
    expect(said).toMatch(/! Hive: It is from the future\. {2}1 row \(row \d+\)/);
  });

  it("refuse what comes past the application's own rules, in the same words", async () => {
    await run("build");
    const rules = join(folder, "app/src/entities/hive/hive.rules.ts");
    const text = readFileSync(rules, "utf8");
    // A rule of the developer's own that changes values just before they are saved.
    writeFileSync(
      rules,
      text.replace("= {}", "= { beforeSave: (input) => ({ ...input, weight: 70 }) }"),
    );
    const server: Running = await running(["serve"], folder);
    try {
      const visitor = new Visitor(server.address);
      const { status, html } = await visitor.post("/hives/new", { code: "C1", status: "active" });
      expect(status).toBe(422);
      expect(textOf(html)).toContain("Weight: It is too heavy.");
    } finally {
      await server.stop();
      writeFileSync(rules, text);
    }
  });

  it("are looked for among the rows when they come", async () => {
    const stricter = begun.replace("double < 100", "double < 90");
    writeFileSync(path, stricter);
    const said = await run("changes");
    expect(said).toContain("rows of hive have to obey: weight is empty or double < 90");
    expect(said).toContain("1 row of hive violates: weight is empty or double < 90");
    await run("prepare");
    const refused = await levadura(["migrate"], folder);
    expect(refused.status).toBe(1);
    expect(refused.err).toContain(
      "1 row of hive violates: weight is empty or double < 90; double = weight * 2: row 2 with 49.9",
    );
    writeFileSync(path, begun);
  });

  it("go, come, and follow the names of their columns, there and back", async () => {
    writeFileSync(
      path,
      begun
        .replace("installed: date", "built: date, was installed")
        .replaceAll("removed >= installed", "removed >= built")
        .replace("installed is empty or installed <=", "built is empty or built <=")
        .replace('      - It is too heavy.: "= weight is empty or double < 100"\n', ""),
    );
    await run("prepare", "--rewrite");
    await run("migrate");
    const right = "code, status, removed, weight from hive order by code";
    expect(await rows(`select ${right}`)).toHaveLength(4);
    await run("rewind", "--yes");
    expect(await rows(`select installed, ${right}`)).toHaveLength(4);
    expect(await run("history")).not.toContain("differs");
  });
});
