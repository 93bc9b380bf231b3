import { spawnSync } from "node:child_process";
import { readFileSync, symlinkSync } from "node:fs";
import { join } from "node:path";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { readModel } from "../../src/core/model/read.ts";
import { rowsOf } from "../support/database.ts";
import { levadura, projectWith, repository } from "../support/program.ts";

const entityNames = [
  "Order",
  "Group",
  "Select",
  "Class",
  "Record",
  "List",
  "Page",
  "Error",
  "Section",
  "Table",
  "Año",
  "Index",
  "Map",
  "Link",
  "Value",
];
const fieldNames = [
  "group",
  "order",
  "select",
  "constructor",
  "class",
  "name",
  "title",
  "value",
  "table",
  "index",
  "from",
  "to",
  "date",
  "where",
  "id_number",
  "back",
  "key",
  "año",
  "prototype",
  "rows",
];

const definition = (entities: string[]) =>
  fc
    .tuple(
      fc.constantFrom(
        "text",
        "text 2..20",
        "long text",
        "integer",
        "integer -3..7",
        "decimal",
        "decimal 0..9.5, places 1",
        "money 0..",
        "percent 0..100",
        "boolean",
        "date ..today",
        "date 2020-01-01..",
        "time",
        "datetime",
        "email",
        "url",
        "phone",
        "color",
        "choice a | b c | 'd, e'",
        ...entities.flatMap((name) => [`one ${name}`, `many ${name}`]),
      ),
      fc.constantFrom("", ", required", ", unique", ', label "<b> & \\"q\\""', ", hint Don't"),
    )
    .map(([type, option]) =>
      option === ", unique" && /boolean|long|many|choice|integer -3/.test(type)
        ? type
        : type + (option === ", required" && /^(one|many)/.test(type) ? "" : option),
    );

const model = fc
  .uniqueArray(fc.constantFrom(...entityNames), { minLength: 2, maxLength: 6 })
  .chain((entities) =>
    fc.tuple(
      ...entities.map((entity) =>
        fc
          .uniqueArray(fc.constantFrom(...fieldNames), { minLength: 1, maxLength: 8 })
          .chain((fields) =>
            fc.tuple(
              ...fields.map((field) =>
                definition(entities).map(
                  (line) => `      ${field}: '${line.replaceAll("'", "''")}'`,
                ),
              ),
            ),
          )
          .map((lines) => `  ${entity}:\n    fields:\n${lines.join("\n")}\n`),
      ),
    ),
  )
  .map((parts) => `levadura: 1\nentities:\n${parts.join("")}`)
  .filter((text) => readModel(text).model !== undefined);

describe("random models", () => {
  it.each(
    fc
      .sample(model, { numRuns: Number(process.env.MODELS ?? 12), seed: 20261123 })
      .map((text, index) => [index, text] as const),
  )(
    "number %i becomes an application that compiles and passes its own tests",
    async (_index, text) => {
      const folder = projectWith(text);
      for (const command of ["draft", "migrate", "seed", "build"]) {
        const { status, err } = await levadura([command], folder);
        expect([command, status, err, text]).toEqual([command, 0, "", text]);
      }
      expect(rowsOf(join(folder, "records.db"), "pragma foreign_key_check")).toEqual([]);
      expect(readFileSync(join(folder, "migrations/0001-begin/steps.yaml"), "utf8")).toContain(
        "add table",
      );
      const app = join(folder, "app");
      symlinkSync(join(repository, "node_modules"), join(app, "node_modules"));
      for (const [command, ...args] of [
        ["tsc", "-p", "."],
        ["biome", "ci", "--colors=off", "--error-on-warnings", "."],
        ["vitest", "run"],
      ] as const) {
        const { status, stdout, stderr } = spawnSync(
          join(repository, "node_modules/.bin", command),
          args,
          { cwd: app, encoding: "utf8", env: { ...process.env, NO_COLOR: "1" } },
        );
        expect([command, status, status === 0 ? "" : `${stdout}${stderr}\n${text}`]).toEqual([
          command,
          0,
          "",
        ]);
      }
    },
  );
});
