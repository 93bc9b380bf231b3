import { readFileSync, symlinkSync } from "node:fs";
import { join } from "node:path";
import fc from "fast-check";
import { describe, expect, it, onTestFinished } from "vitest";
import { readModel } from "../../src/core/model/read.ts";
import { expectSound } from "../support/generated.ts";
import { projectOn } from "../support/kinds.ts";
import { levadura, repository } from "../support/program.ts";
import { answers, mariadb, postgres } from "../support/servers.ts";

/** The databases that models take turns on. */
const kinds = [
  { kind: "sqlite", server: undefined },
  ...((await answers(postgres)) ? [{ kind: "postgres", server: postgres }] : []),
  ...((await answers(mariadb)) ? [{ kind: "mariadb", server: mariadb }] : []),
] as const;

const entityNames = [
  "Order",
  "Group",
  "Select",
  "Class",
  "Record",
  "List",
  "Page",
  "Error",
  "FormSection",
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

/** Formulas that any entity can have, with what a template of TypeScript would take for its own. */
const computed = fc.constantFrom(
  "= id * 2 + version / 3",
  `= 'a\`\${x}\\\\ ' & id & "*/"`,
  "= if(created_at < now, today, today + 2 days)",
  "= updated_at - 1 weeks",
  "= id > 3 or not (version in (1, 2))",
  "= today - (today - 2 days)",
);

const stored = (entities: string[]) =>
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
        "place",
        "boolean",
        "date ..today",
        "date 2020-01-01..",
        "time",
        "datetime",
        "duration",
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

const definition = (entities: string[]) =>
  fc.oneof({ arbitrary: stored(entities), weight: 8 }, { arbitrary: computed, weight: 1 });

const rules = fc.constantFrom(
  "",
  '    rules:\n      - "It\'s `so`, \\"all\\" of it.": "= id > 0 and created_at <= now"\n',
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
          .chain((lines) =>
            rules.map((rule) => `  ${entity}:\n    fields:\n${lines.join("\n")}\n${rule}`),
          ),
      ),
    ),
  )
  .map((parts) => `levadura: 1\napp: {database: sqlite}\nentities:\n${parts.join("")}`)
  .filter((text) => readModel(text).model !== undefined);

describe("random models", () => {
  it.each(
    fc
      .sample(model, { numRuns: Number(process.env.MODELS ?? 4), seed: 20261123 })
      .map((text, index) => [index, text] as const),
  )(
    "number %i becomes an application that compiles and passes its own tests",
    async (index, text) => {
      const kind = kinds[index % kinds.length] ?? kinds[0];
      const { folder, url, remove } = projectOn(kind, text);
      onTestFinished(remove);
      for (const command of ["prepare", "migrate", "seed", "build"]) {
        const { status, err } = await levadura([command], folder);
        expect([command, status, err, text]).toEqual([command, 0, "", text]);
      }
      expect((await levadura(["changes", "--check"], folder)).status).toBe(0);
      expect(readFileSync(join(folder, "migrations/0001-begin/steps.yaml"), "utf8")).toContain(
        "add table",
      );
      const app = join(folder, "app");
      symlinkSync(join(repository, "node_modules"), join(app, "node_modules"));
      expectSound(app, { DATABASE_URL: kind.server ? url : "" });
    },
  );
});
