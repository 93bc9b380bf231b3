import { describe, expect, it } from "vitest";
import type { ColumnType } from "../../src/core/fields/storage.ts";
import type { Column, Table } from "../../src/core/schema/schema.ts";
import { limitsOf } from "../../src/core/sql/limits.ts";
import { mariadb as dialect } from "../../src/core/sql/mariadb/dialect.ts";
import { answers, emptyDatabase, mariadb } from "../support/servers.ts";

const there = await answers(mariadb);

describe("what is said of the size of a row", () => {
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
    for (let round = 0; round < 40; round++) {
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
