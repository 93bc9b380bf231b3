import { join } from "node:path";
import fc from "fast-check";
import type Driver from "libsql";
import { describe, expect, it } from "vitest";
import { encode, openFile } from "../kit/database/sqlite/connection.ts";
import { prepareLetters } from "../kit/database/sqlite/letters.ts";
import { difference } from "../src/core/evolution/difference.ts";
import type { Step } from "../src/core/evolution/steps.ts";
import { type Entity, isMany, type Model } from "../src/core/model/model.ts";
import { readModel } from "../src/core/model/read.ts";
import { columnOf, schemaOf, tableOf } from "../src/core/schema/from-model.ts";
import type { Schema } from "../src/core/schema/schema.ts";
import { usualCounts } from "../src/core/seeding/plan.ts";
import { type EntitySample, Sampling } from "../src/core/seeding/sampling.ts";
import { sqlite } from "../src/core/sql/sqlite/dialect.ts";
import { valueReader } from "../src/core/tabular/values.ts";
import { temporaryFolder } from "./support/program.ts";

function modelOf(text: string): Model {
  const { model, diagnostics } = readModel(text);
  if (!model) throw new Error(diagnostics.map(({ message }) => message).join("\n"));
  return model;
}

/** A database with the tables of a model. */
function databaseOf(model: Model): Driver.Database {
  const driver = openFile(join(temporaryFolder(), "test.db"));
  prepareLetters(driver);
  take(driver, difference({ tables: [] }, model).steps, { tables: [] });
  return driver;
}

function take(driver: Driver.Database, steps: readonly Step[], before: Schema): void {
  for (const { parts } of sqlite.sections(steps, before)) {
    for (const part of parts) if (part.kind === "run") driver.exec(part.sql);
  }
}

function insert(driver: Driver.Database, table: string, row: Record<string, unknown>): number {
  const names = Object.keys(row);
  const quoted = names.map(sqlite.quoted).join(", ");
  const statement = driver.prepare(
    `insert into ${sqlite.quoted(table)} (${quoted}) values (${names.map(() => "?").join(", ")})`,
  );
  return Number(statement.run(names.map((name) => encode(row[name]))).lastInsertRowid);
}

const stamp = { created_at: "2026-01-01T00:00:00Z", updated_at: "2026-01-01T00:00:00Z" };

describe("the tables of SQLite", () => {
  const model = modelOf(`levadura: 1
entities:
  Thing:
    fields:
      short: text 2..5
      note: long text ..9
      whole: integer -3..7
      exact: decimal 0..9.5, places 1
      price: money 0..
      share: percent
      on: boolean
      day: date 2020-01-01..2030-12-31
      hour: time
      moment: datetime
      tint: color
      state: choice a | "b, c" | it's
      mail: email
      only: text, unique
      must: text, required, default x
`);

  it.each([
    ["short", ["ab", "abcde", "🐝🐝", null], ["a", "abcdef"]],
    ["note", ["x".repeat(9)], ["x".repeat(10)]],
    ["whole", [-3, 7], [-4, 8, 1.5, "x"]],
    ["exact", [0, 9.5, 0.1], [9.6, -0.1, 0.15, "x"]],
    ["price", [0.1, 12.34, 1e12], [12.345, -1]],
    ["share", [-5, 12.5], [1.001]],
    ["on", [true, false], [2]],
    [
      "day",
      ["2020-01-01", "2024-02-29"],
      ["2019-12-31", "2031-01-01", "2023-02-29", "today", "2020-1-1", 20240101],
    ],
    ["hour", ["00:00", "23:59"], ["24:00", "9:30", "now"]],
    [
      "moment",
      ["2026-05-03T07:00:00Z"],
      ["2026-05-03", "2026-05-03T07:00:00", "2026-13-03T07:00:00Z"],
    ],
    ["state", ["a", "b, c", "it's"], ["d", ""]],
    ["must", ["y"], [null]],
  ])("take right values of %s, and refuse wrong ones", (column, right, wrong) => {
    const driver = databaseOf(model);
    for (const value of right)
      expect(
        () => insert(driver, "thing", { [column]: value, ...stamp }),
        String(value),
      ).not.toThrow();
    for (const value of wrong)
      expect(() => insert(driver, "thing", { [column]: value, ...stamp }), String(value)).toThrow(
        /constraint/i,
      );
    driver.close();
  });

  it("fill in defaults, and hold what is unique apart whatever its case", () => {
    const driver = databaseOf(model);
    insert(driver, "thing", { only: "Only", ...stamp });
    expect(() => insert(driver, "thing", { only: "ONLY", ...stamp })).toThrow(/UNIQUE/);
    insert(driver, "thing", { only: null, ...stamp });
    insert(driver, "thing", { only: null, ...stamp });
    expect(driver.prepare('select must, "on", version from thing').all()[0]).toEqual({
      must: "x",
      on: 0,
      version: 1,
    });
    driver.close();
  });

  it("never give the number of a deleted row to another one", () => {
    const driver = databaseOf(model);
    const last = insert(driver, "thing", stamp);
    driver.exec("delete from thing");
    expect(insert(driver, "thing", stamp)).toBe(last + 1);
    driver.close();
  });

  it("come to the same when fields are added to tables that are there", () => {
    const small = modelOf(
      "levadura: 1\nentities:\n  Thing:\n    fields:\n      short: text 2..5\n",
    );
    const large = modelOf(
      "levadura: 1\nentities:\n  Thing:\n    fields:\n      short: text 2..5\n      on: boolean\n      mark: text, unique\n      other: one Thing\n      more: many Thing\n      level: integer 0..5, default 3, required\n",
    );
    const driver = databaseOf(small);
    insert(driver, "thing", { short: "ab", ...stamp });
    const { steps } = difference(schemaOf(small), large);
    take(driver, steps, schemaOf(small));
    const fresh = databaseOf(large);
    const columns = (from: Driver.Database) =>
      (
        from
          .prepare(
            "select name, type, \"notnull\", dflt_value from pragma_table_info('thing') order by name",
          )
          .all() as object[]
      ).map((row) => ({ ...row }));
    expect(columns(driver)).toEqual(columns(fresh));
    expect(driver.prepare('select short, "on", level from thing').all()).toEqual([
      { short: "ab", on: 0, level: 3 },
    ]);
    driver.close();
  });
});

describe("the codec", () => {
  it.each([[undefined], [Number.NaN], [Number.POSITIVE_INFINITY], ["a\0b"], [{}], [[1]]])(
    "refuses %j, which the driver would spoil",
    (value) => {
      expect(() => encode(value)).toThrow(/can't keep/);
    },
  );

  it("turns a boolean into what the driver takes", () => {
    expect([encode(true), encode(false), encode(null), encode("x"), encode(1.5)]).toEqual([
      1,
      0,
      null,
      "x",
      1.5,
    ]);
  });
});

describe("sample rows for any model", () => {
  const types = [
    "text",
    "text 2..4, unique",
    "long text ..30",
    "integer 1..300, unique",
    "integer -5..5",
    "decimal 0..1, places 3",
    "money 0..",
    "percent 0..100",
    "boolean",
    "date ..today",
    "date 2020-01-01..2020-02-01",
    "time",
    "datetime",
    "email, unique",
    "url",
    "phone",
    "color",
    "choice a | b",
    "one A",
    "one A, required",
    "one A, unique",
    "many A",
    "many A, required",
    "part of A",
  ];
  const fields = fc.uniqueArray(fc.constantFrom(...types), { minLength: 1, maxLength: 9 });

  /** Whether each value is one that a data file could have for its field. */
  function expectFitting(entity: Entity, row: Record<string, unknown>) {
    for (const field of entity.fields.filter((each) => !isMany(each))) {
      const value = row[columnOf(field)] ?? null;
      if (value === null) expect(field.required, field.name).toBe(false);
      else if (!("entity" in field.type)) {
        const text = typeof value === "boolean" ? (value ? "yes" : "no") : String(value);
        const read = valueReader(field, {}, { currency: "EUR", today: "2026-05-03" })(text);
        expect(read, `${field.type.kind} ${text}`).toHaveProperty("text");
      }
    }
  }

  it("hold to the model's own rules and to the database", () => {
    fc.assert(
      fc.property(fields, fields, fc.integer({ min: 0, max: 99 }), (first, second, seed) => {
        const lines = (made: string[]) =>
          made.map((type, index) => `      f${index}_x: ${type}`).join("\n");
        const plain = first.filter((type) => !type.includes(" A"));
        const model = modelOf(
          `levadura: 1\nentities:\n  A:\n    fields:\n      name: text\n${lines(plain)}\n  B:\n    fields:\n${lines(second)}\n`,
        );
        const driver = databaseOf(model);
        const sampling = new Sampling(model, {
          seed,
          today: "2026-05-03",
          now: "2026-05-03T07:00:00Z",
          counts: usualCounts(model, "2026-05-03"),
          present: new Map(),
        });
        const samples: EntitySample[] = [];
        for (const sample of sampling.entities()) {
          expect(sample.count).toBeGreaterThan(0);
          let id = sample.first;
          for (const row of sample.rows()) {
            expectFitting(sample.entity, row);
            insert(driver, tableOf(sample.entity.name), { id: id++, ...row, ...stamp });
          }
          samples.push(sample);
        }
        for (const { entity, first, count } of samples) {
          for (const { table, columns, targets } of sampling.linksOf(entity)) {
            for (let row = 0; row < count; row++) {
              for (const target of targets(row)) {
                insert(driver, table, { [columns[0]]: first + row, [columns[1]]: target });
              }
            }
          }
        }
        expect(driver.prepare("pragma foreign_key_check").all()).toEqual([]);
        driver.close();
      }),
      { numRuns: 60 },
    );
  });
});
