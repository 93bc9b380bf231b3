import { readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { functions, rowFunctions } from "../src/core/formula/functions.ts";
import { parseFormula } from "../src/core/formula/parse.ts";
import { levadura, projectWith, repository } from "./support/program.ts";

const page = readFileSync(join(repository, "docs/formulas.md"), "utf8");

describe("formulas", () => {
  it("are pointed at where they are wrong, in either notation", async () => {
    const folder = projectWith(`levadura: 1
entities:
  Harvest:
    fields:
      weight: decimal
      price: money
      value: "= weight * prize"
      total: {value: "= weight +", label: All}
      other: {value: weight}
`);
    const wrong = await levadura(["check"], folder);
    expect(wrong.status).toBe(1);
    expect(wrong.err).toContain("model.yaml:9:22: error: a formula begins with `=`");
    const mended = projectWith(
      `levadura: 1\nentities:\n  Harvest:\n    fields:\n      weight: decimal\n      price: money\n      value: "= weight * prize"\n      total: {value: "= weight +", label: All}\n`,
    );
    const { status, err } = await levadura(["check"], mended);
    expect(status).toBe(1);
    expect(err).toContain(
      'model.yaml:7:26: error: Harvest has no field `prize`\n  7 |       value: "= weight * prize"\n    |                          ^^^^^\n    = did you mean `price`?',
    );
    expect(err).toContain("model.yaml:8:32: error: something is missing at the end");
    const right = projectWith(
      `levadura: 1\nentities:\n  Harvest:\n    fields: {weight: decimal, price: money, value: "= weight * price"}\n`,
    );
    expect(await levadura(["check"], right)).toMatchObject({ status: 0 });
  });

  it("have every function on their page, with an example that is read", () => {
    for (const { example } of [...Object.values(functions), ...Object.values(rowFunctions)]) {
      expect(page).toContain(`\`${example}\``);
      expect(parseFormula(`= ${example}`)).toHaveProperty("expression");
    }
  });
});
