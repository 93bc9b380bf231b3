import { describe, expect, it } from "vitest";
import type { Column, ColumnType, Table } from "../src/core/schema/schema.ts";
import { limitsOf } from "../src/core/sql/limits.ts";
import { mariadb as dialect } from "../src/core/sql/mariadb/mariadb.ts";
import { levadura, projectWith } from "./support/program.ts";
import { answers, emptyDatabase, mariadb } from "./support/servers.ts";

const there = await answers(mariadb);

const long = "a_field_whose_name_is_as_long_as_names_of_fields_go".slice(0, 50);

function model(database: string, fields: string): string {
  return `levadura: 1\napp: {database: ${database}}\nentities:\n  HiveOfTheLongNameThatGoesOnAndOnUntilItEndsHere:\n    fields:\n      name: text, required, unique\n${fields}`;
}

const many = (type: string, count: number) =>
  Array.from({ length: count }, (_, at) => `      f${at}: ${type}\n`).join("");

describe("what a database can't have", () => {
  it.each([
    [
      "postgres",
      `      ${long}: many HiveOfTheLongNameThatGoesOnAndOnUntilItEndsHere\n`,
      /the name of the table `hive_of_the\S+_\S+` has 11\d bytes, and PostgreSQL takes 63/,
      "model.yaml:7:7",
    ],
    [
      "mariadb",
      `      ${long}: many HiveOfTheLongNameThatGoesOnAndOnUntilItEndsHere\n`,
      /has 11\d characters, and MariaDB takes 64/,
      "model.yaml:7:7",
    ],
    [
      "postgres",
      `      ${"ñ".repeat(40)}: text\n`,
      /the name of the column `ñ+` has 80 bytes/,
      "model.yaml:7:7",
    ],
    ["postgres", "      page: url, unique\n", /an index holds 2,704 bytes/, "model.yaml:7:7"],
    [
      "mariadb",
      many("text ..60", 34),
      /bytes on its page, and MariaDB takes 8,125/,
      "model.yaml:4:3",
    ],
    ["mariadb", many("text ..700", 24), /a row of \S+ takes 6\d,\d+ bytes/, "model.yaml:4:3"],
    ["mariadb", many("integer", 1100), /1105 columns, and MariaDB takes 1017/, "model.yaml:4:3"],
  ])("is said of the model, for %s at its place", async (database, fields, message, place) => {
    const folder = projectWith(model(database, fields));
    for (const command of ["check", "draft"]) {
      const { status, err } = await levadura([command], folder);
      expect(status).toBe(1);
      expect(err).toMatch(message);
      expect(err).toContain(place);
    }
    const other = database === "mariadb" && !fields.includes("many") ? "postgres" : "sqlite";
    const free = projectWith(model(other, fields));
    expect((await levadura(["check"], free)).status).toBe(0);
  });

  it.skipIf(!there)("is what MariaDB itself refuses, row by row", async () => {
    const engine = await emptyDatabase(mariadb);
    const types: ColumnType[] = [
      ...[1, 20, 63, 64, 100, 255, 700, 2000].map((max) => ({ kind: "text" as const, max })),
      { kind: "long text" },
      { kind: "integer" },
      { kind: "decimal", places: 2 },
      { kind: "decimal", places: 7 },
      { kind: "boolean" },
      { kind: "date" },
      { kind: "time" },
      { kind: "datetime" },
    ];
    let state = 7;
    const random = (below: number) => {
      state = (state * 1103515245 + 12345) % 2147483648;
      return Math.floor((state / 2147483648) * below);
    };
    const seen = { taken: 0, refused: 0 };
    for (let round = 0; round < 25; round++) {
      const columns: Column[] = [{ name: "id", type: { kind: "integer" }, required: true }];
      const some = [random(types.length), random(types.length), random(types.length)];
      const table: Table = { name: "t", label: "t", columns, key: ["id"], indexes: [] };
      const says = () => limitsOf(dialect.limits, { tables: [table] }).length > 0;
      while (!says() && columns.length < 1017) {
        const type = types[some[random(3)] ?? 0] ?? { kind: "integer" };
        columns.push({ name: `c${columns.length}`, type, required: random(2) === 0 });
      }
      // One column more, and one column less.
      for (const refused of [true, false]) {
        if (refused && !says()) continue;
        if (!refused) columns.pop();
        const [section] = dialect.sections([{ kind: "add table", table }], { tables: [] });
        const [part] = section?.parts ?? [];
        const made = engine.migrations
          .run(part?.kind === "run" ? part.sql : "")
          .then(() => engine.migrations.run("drop table t"));
        const context = `${columns.length} columns of ${some.map((at) => JSON.stringify(types[at]))}`;
        expect(
          await made.then(
            () => "taken",
            () => "refused",
          ),
          context,
        ).toBe(refused ? "refused" : "taken");
        seen[refused ? "refused" : "taken"]++;
      }
    }
    expect(Math.min(seen.taken, seen.refused)).toBeGreaterThan(8);
  });
});
