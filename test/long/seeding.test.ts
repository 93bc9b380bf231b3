import { spawn } from "node:child_process";
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { applyMigrations } from "../../kit/migrations/migrations.ts";
import { difference } from "../../src/core/evolution/difference.ts";
import { rulesOf } from "../../src/core/formula/rules.ts";
import type { Model } from "../../src/core/model/model.ts";
import { schemaOf, tableOf } from "../../src/core/schema/from-model.ts";
import { brokenRows } from "../../src/flows/rows/row-rules.ts";
import type { Engine } from "../../src/io/engines/engine.ts";
import { openSqlite } from "../../src/io/engines/sqlite/engine.ts";
import { migrationOf } from "../../src/io/project/migrations.ts";
import { demoModel } from "../support/demo.ts";
import { fillModel } from "../support/evolving.ts";
import type { TestProject } from "../support/kinds.ts";
import { pairOfModels } from "../support/pairs.ts";
import { levadura, repository, running, temporaryFolder } from "../support/program.ts";
import { bees, head, migrated, refused, seeded } from "../support/seeding.ts";
import { answers, emptyDatabase, mariadb, postgres } from "../support/servers.ts";
import { Visitor } from "../support/visitor.ts";

const demo = demoModel({ open: true });
const there = (await answers(postgres)) && (await answers(mariadb));
const all = [
  { kind: "sqlite", server: undefined },
  ...(there
    ? [
        { kind: "postgres", server: postgres },
        { kind: "mariadb", server: mariadb },
      ]
    : []),
];

/** How many random models are filled; MODELS sets more. */
const models = Number(process.env.MODELS ?? 16);

async function withTables(engine: Engine, model: Model): Promise<Engine> {
  const { steps } = difference({ tables: [] }, model);
  const begin = migrationOf("0001-begin", steps, engine.dialect, { tables: [] });
  await applyMigrations(engine.migrations, [begin], {
    keptFolder: join(temporaryFolder(), "kept"),
  });
  return engine;
}

/** All rows of the tables of a model, as every database tells them. */
async function rowsIn(engine: Engine, model: Model): Promise<Record<string, unknown[]>> {
  const found: Record<string, unknown[]> = {};
  for (const { name, columns, key } of schemaOf(model).tables) {
    const names = columns.map((column) => engine.dialect.quoted(column.name)).join(", ");
    const order = key.map(engine.dialect.quoted).join(", ");
    const rows = await engine.migrations.rows<Record<string, unknown>>(
      `select ${names} from ${engine.dialect.quoted(name)} order by ${order}`,
    );
    found[name] = rows.map((row) =>
      columns.map(({ name: column, type }) =>
        type.kind === "boolean" ? Boolean(row[column]) : row[column],
      ),
    );
  }
  return found;
}

describe("sample rows of random models", () => {
  it.runIf(there)("are the same on all three databases, and hold to all rules", async () => {
    for (let seed = 50_000; seed < 50_000 + models; seed++) {
      const { models: pair, texts } = pairOfModels(seed);
      const [model] = pair;
      const context = `seed ${seed}\n${texts[0]}`;
      const engines = [
        openSqlite(join(temporaryFolder(), "records.db")),
        await emptyDatabase(postgres),
        await emptyDatabase(mariadb),
      ];
      const contents: Record<string, unknown[]>[] = [];
      for (const engine of engines) {
        await withTables(engine, model);
        await fillModel(engine, model, seed).catch((error) => {
          throw new Error(`${engine.dialect.name}, ${context}: ${error.message}`);
        });
        contents.push(await rowsIn(engine, model));
        const moment = { today: "2026-05-03", now: "2026-05-03T07:00:00Z" };
        for (const entity of model.entities) {
          const there = await engine.count(
            `select 1 as one from ${engine.dialect.quoted(tableOf(entity.name))}`,
          );
          expect(there, context).toBeGreaterThan(0);
          for (const rule of rulesOf(entity)) {
            const on = { ...model, app: { ...model.app, database: engine.dialect.name } };
            const broken = await engine.count(brokenRows(on, entity, rule, moment));
            expect(broken, `${rule.formula}\n${context}`).toBe(0);
          }
        }
      }
      expect(contents[1], context).toEqual(contents[0]);
      expect(contents[2], context).toEqual(contents[0]);
      await engines[0]?.close();
    }
  });
});

describe.each(all)("seeding over $kind", (kind) => {
  const tables = ["apiary", "keeper", "hive", "queen", "inspection", "hive_keepers"];

  it("that is killed leaves nothing behind, and the next one does it all", async () => {
    const { folder, rows } = await migrated(kind, demo);
    for (const milliseconds of [500, 1200]) {
      const child = spawn(
        process.execPath,
        [join(repository, "bin/levadura.js"), "seed", "--rows", "60000"],
        { cwd: folder, stdio: "ignore", env: { ...process.env, DATABASE_URL: "" } },
      );
      await new Promise((resolve) => setTimeout(resolve, milliseconds));
      child.kill("SIGKILL");
      await new Promise((resolve) => child.once("exit", resolve));
      // A server notices it when it next has something to say.
      const count = async () => (await rows("select id from apiary limit 1")).length;
      for (let wait = 0; wait < 100 && (await count()) > 0; wait++)
        await new Promise((resolve) => setTimeout(resolve, 100));
      for (const table of tables)
        expect(await rows(`select * from ${table} limit 1`), table).toEqual([]);
    }
    const { status, err } = await levadura(["seed", "--rows", "3000"], folder);
    expect([status, err]).toEqual([0, ""]);
    expect(await rows("select id from hive")).toHaveLength(245);
  });

  it("waits for another seeding, and then makes no row twice", async () => {
    const { folder, rows } = await migrated(kind, demo);
    const runs = await Promise.all([
      levadura(["seed", "--rows", "4000"], folder),
      levadura(["seed", "--rows", "4000"], folder),
    ]);
    for (const { status, err } of runs) expect([status, err]).toEqual([0, ""]);
    expect(await rows("select id from hive")).toHaveLength(327);
  });

  it("many rows, emptied and made again, leaves people's rows and what they refer to", async () => {
    const { folder, rows } = await migrated(kind, demo);
    expect((await levadura(["seed", "--rows", "50000"], folder)).status).toBe(0);
    const codes = await rows<{ code: string }>("select code from hive");
    expect(new Set(codes.map(({ code }) => code)).size).toBe(4082);
    const odd = await rows(
      "select i.id from inspection i join hive h on h.id = i.hive_id where i.date < h.installed or i.date > h.removed",
    );
    expect(odd).toEqual([]);
    const pairs = await rows("select hive_id, date from inspection group by hive_id, date");
    expect(pairs).toHaveLength((await rows("select id from inspection")).length);
    await rows("update keeper set version = 2, phone = '12345' where id = 3");
    const refused = await levadura(["seed", "--empty-first", "--yes"], folder);
    expect(refused.status).toBe(2);
    expect(refused.err).toContain("Keeper has 1 row entered or changed by users (3)");
    expect(await rows("select id from hive")).toHaveLength(4082);
    const emptied = await levadura(
      ["seed", "--empty-first", "--yes", "--accept-loss", "Keeper", "--rows", "1000"],
      folder,
    );
    expect([emptied.status, emptied.err]).toEqual([0, ""]);
    expect(await rows("select id from hive")).toHaveLength(82);
    expect(await rows("select id from keeper where id <= 1361")).toEqual([]);
  });

  it("keeps rows of the model as it has them, but for those that somebody changed", async () => {
    const { folder, rows } = await migrated(kind, bees);
    await seeded(folder);
    const app = await levadura(["build"], folder);
    expect(app.status).toBe(0);
    const server = await running(["serve"], folder);
    try {
      const visitor = new Visitor(server.address);
      await visitor.post("/remedies/2/edit", { _version: "1", name: "thymol", strength: "strong" });
    } finally {
      await server.stop();
    }
    const path = join(folder, "model.yaml");
    const text = readFileSync(path, "utf8");
    const changed = text
      .replace("{name: oxalic acid, strength: strong}", "{name: Oxalic acid, strength: mild}")
      .replace("replaces: oxalic acid}", "strength: mild}\n      - {name: lactic acid}");
    writeFileSync(path, changed);
    const { out } = await levadura(["seed"], folder);
    expect(out).toContain("3 rows: 1 new, 1 changed, 1 kept as changed in the application");
    expect(await rows("select name, strength from remedy order by id")).toEqual([
      { name: "Oxalic acid", strength: "mild" },
      { name: "thymol", strength: "strong" },
      { name: "lactic acid", strength: "mild" },
    ]);
  });

  it("takes rows from a file beside those that it makes", async () => {
    const model = bees.replace("    seed: 20\n", "    seed: {rows: 3, file: hives.csv}\n");
    const { folder, rows } = await migrated(kind, model);
    expect(await refused(folder)).toEqual({
      status: 1,
      err: "✗ data/hives.csv is not there\n  put it there, or correct `seed` of Hive in the model\n",
    });
    mkdirSync(join(folder, "data"));
    writeFileSync(
      join(folder, "data/hives.csv"),
      "code,installed\nB-02,2024-05-03\nX-1,2024-05-04\n",
    );
    expect((await seeded(folder)).rows).toMatchObject({ Hive: 3 });
    expect(await rows("select code from hive order by id")).toEqual([
      { code: "B-02" },
      { code: "X-1" },
      // Codes take the shape of the newest one that is there.
      { code: "X-2" },
      { code: "X-3" },
      { code: "X-4" },
    ]);
    expect((await seeded(folder)).rows).toEqual({});
  });

  it("empties only what it made, asks, and keeps what people made", async () => {
    const { folder, rows } = await migrated(kind, bees);
    await seeded(folder);
    const ask = await refused(folder, "--empty-first");
    expect(ask).toEqual({
      status: 2,
      err: "✗ nothing was changed: --empty-first would delete 92 sample rows\n  --yes does it without asking\n",
    });
    const first = await rows<{ id: number }>("select id from hive order by id");
    expect((await seeded(folder, "--empty-first", "--yes")).rows).toMatchObject({ Hive: 20 });
    const again = await rows<{ id: number }>("select id from hive order by id");
    expect(again[0]?.id).toBe(Number(first.at(-1)?.id) + 1);
    expect(await rows("select name from remedy")).toHaveLength(2);
    const used = await refused(folder, "Hive", "--empty-first", "--yes");
    expect(used.status).toBe(1);
    expect(used.err).toContain("rows that stay refer to some that would be deleted: ");
    expect(used.err).toContain("of Treatment refer to rows of Hive by hive");
    await levadura(["build"], folder);
    const server = await running(["serve"], folder);
    try {
      const visitor = new Visitor(server.address);
      const { status } = await visitor.post("/hives/new", {
        code: "MY-1",
        installed: "2025-01-01",
      });
      expect(status).toBe(200);
    } finally {
      await server.stop();
    }
    const own = await refused(folder, "--empty-first", "--yes");
    expect(own.status).toBe(2);
    expect(own.err).toContain("Hive has 1 row entered or changed by users");
    expect(own.err).toContain("name it: --accept-loss Hive");
    expect(await rows("select code from hive where code = 'MY-1'")).toHaveLength(1);
    const gone = await seeded(folder, "--empty-first", "--accept-loss", "Hive", "--yes");
    expect(await rows("select code from hive where code = 'MY-1'")).toEqual([]);
    expect(readdirSync(gone.kept ?? "")).toEqual(["hive.jsonl.gz"]);
  });

  it.each([
    [
      "It is never right.: '= a > 8 and a < 2'",
      "row 1 of Hive was tried 400 times, and always broke a rule: It is never right. (= a > 8 and a < 2)",
    ],
    ["Only in the first.: '= apiary.id < 1'", "would break a rule: Only in the first."],
  ])("tries a rule that nothing holds to a number of times: %s", async (rule, sentence) => {
    const { folder, rows } = await migrated(
      kind,
      `${head}  Apiary: {fields: {name: text}}\n  Hive:\n    fields: {apiary: 'one Apiary, required', a: 'integer 0..9, required'}\n    rules:\n      - ${rule}\n`,
    );
    const { status, err } = await refused(folder);
    expect(status).toBe(1);
    expect(err).toContain(sentence);
    expect(await rows("select id from apiary")).toEqual([]);
    expect(existsSync(join(folder, ".levadura/generated/seeding.json"))).toBe(false);
  });

  it("holds to rules about other records, where that can be done", async () => {
    const { folder, rows } = await migrated(
      kind,
      `${head}  Hive:\n    fields: {code: "text, required, unique", open: boolean}\n  Harvest:\n    fields: {hive: "one Hive, required", weight: "integer 1..9, required"}\n    rules:\n      - Only where it is open.: "= hive.open"\n`,
    );
    expect((await seeded(folder, "--rows", "400")).rows).toEqual({ Hive: 100, Harvest: 300 });
    const wrong = await rows(
      "select x.id from harvest x join hive h on h.id = x.hive_id where not h.open",
    );
    expect(wrong).toEqual([]);
  });

  it("writes SQL that gives the same rows", async () => {
    const model = bees
      .replace(
        "      replaces: one Remedy\n",
        "      replaces: one Remedy\n      used_by: many Keeper\n",
      )
      .replace("strength: strong}", "strength: strong, replaces: thymol, used_by: [Ana Ruiz]}")
      .replace("  Hive:\n", "    seed: {rows: 12, fixed: [{name: Ana Ruiz}]}\n  Hive:\n");
    const { folder, rows } = await migrated(kind, model);
    await seeded(folder, "--to", "samples", "--as", "sql");
    const file = `rows.${kind.kind}.sql`;
    const sql = readFileSync(join(folder, "samples", file), "utf8");
    const other = await migrated(kind, model);
    const script = sql.replace(/^begin;|commit;$/gm, "");
    for (const statement of script.split(/;\n/).filter((each) => /\w/.test(each)))
      await other.rows(statement);
    await seeded(folder);
    for (const table of [
      "remedy",
      "keeper",
      "hive",
      "treatment",
      "hive_keepers",
      "remedy_used_by",
    ]) {
      const all = async (project: TestProject["rows"]) =>
        (await project(`select * from ${table} order by 1, 2`)).map(
          ({ created_at, updated_at, ...row }) => row,
        );
      expect(await all(other.rows), table).toEqual(await all(rows));
    }
  });
});
