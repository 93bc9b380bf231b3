import { describe, expect, it } from "vitest";
import { readModel } from "../model/read.ts";
import { schemaOf } from "../schema/from-model.ts";
import { tableNamed } from "../schema/schema.ts";
import { mariadb } from "../sql/mariadb/dialect.ts";
import { postgres } from "../sql/postgres/dialect.ts";
import { sqlite } from "../sql/sqlite/dialect.ts";
import { checkFixedRows, fixedTable, fixedText } from "./fixed.ts";
import { InsertWriter } from "./insert.ts";

function modelOf(rows: string) {
  const { model, diagnostics } = readModel(
    `levadura: 1\nentities:\n  Remedy:\n    fields:\n      name: text ..9, required, unique\n      strength: choice mild | strong, default mild\n      since: date ..today, default today\n      seen: datetime\n      gentle: boolean, default yes\n      dose: decimal\n    seed:\n${rows}`,
  );
  const [entity] = model?.entities ?? [];
  if (!model || !entity) throw new Error(JSON.stringify(diagnostics));
  return { model, entity };
}

const two = "      - {name: thymol, dose: 4.50}\n      - {name: 007, strength: strong}\n";
const moment = { today: "2026-05-03", now: "2026-05-03T12:00" };

describe("rows that stand in a model", () => {
  it("have the fields that any of them names, and what each begins with", () => {
    expect(fixedTable(modelOf(two).entity, moment)).toEqual({
      header: ["name", "strength", "since", "dose"],
      rows: [
        ["thymol", "mild", "2026-05-03", "4.50"],
        ["007", "strong", "2026-05-03", ""],
      ],
    });
    expect(fixedTable(modelOf("      rows: 4\n").entity, moment)).toBeUndefined();
  });

  it("are told apart by what is written, wherever it stands", () => {
    const text = fixedText(modelOf(two).entity);
    expect(fixedText(modelOf(`      # some\n${two}`).entity)).toBe(text);
    expect(fixedText(modelOf(two.replace("4.50", "4.5")).entity)).not.toBe(text);
  });

  it("are held to their fields", () => {
    const { model } = modelOf(
      '      - {name: much too long, dose: many}\n      - {name: A, since: 2026-12-24, strength: wild}\n      - {name: a, gentle: perhaps}\n      - {name: b, dose: ""}\n',
    );
    expect(checkFixedRows(model, "2026-05-03").map(({ message }) => message)).toEqual([
      "`much too long` is 13 characters, where 9 fit",
      "`many` is not a number",
      "`2026-12-24` is after today",
      "`wild` is not among the choices",
      "the name `a` appears here twice",
      "`perhaps` is neither yes nor no",
    ]);
  });
});

describe("rows as SQL", () => {
  const { model } = modelOf(two);
  const table = tableNamed(schemaOf(model), "remedy") ?? expect.fail("no table");
  const row = { name: "it's \\ so", seen: "2026-05-03T07:00:00Z", gentle: true, dose: null };

  it.each([
    [
      sqlite,
      `insert into "remedy" ("name", "seen", "gentle", "dose") values\n  ('it''s \\ so', '2026-05-03T07:00:00Z', 1, null);\n`,
    ],
    [
      postgres,
      `insert into "remedy" ("name", "seen", "gentle", "dose") values\n  ('it''s \\ so', '2026-05-03T07:00:00Z'::timestamptz, true, null);\n`,
    ],
    [
      mariadb,
      `insert into \`remedy\` (\`name\`, \`seen\`, \`gentle\`, \`dose\`) values\n  ('it''s \\\\ so', timestamp '2026-05-03 07:00:00', true, null);\n`,
    ],
  ])("are written as each database takes them: %#", (dialect, sql) => {
    const writer = new InsertWriter(dialect, table, ["name", "seen", "gentle", "dose"]);
    expect(writer.statement([row])).toBe(sql);
    expect(writer.statement([row, row]).match(/null\)/g)).toHaveLength(2);
  });
});
