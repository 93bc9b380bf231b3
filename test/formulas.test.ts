import { readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { functions, rowFunctions } from "../kit/formula/functions.ts";
import { parseFormula } from "../kit/formula/parse.ts";
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
    const updated = projectWith(
      `levadura: 1\nentities:\n  Harvest:\n    fields:\n      weight: decimal\n      price: money\n      value: "= weight * prize"\n      total: {value: "= weight +", label: All}\n`,
    );
    const { status, err } = await levadura(["check"], updated);
    expect(status).toBe(1);
    expect(err).toContain(
      'model.yaml:7:26: error: Harvest has no field `prize`\n  7 |       value: "= weight * prize"\n    |                          ^^^^^ did you mean `price`?',
    );
    expect(err).toContain("model.yaml:8:32: error: something is missing at the end");
    const right = projectWith(
      `levadura: 1\nentities:\n  Harvest:\n    fields: {weight: decimal, price: money, value: "= weight * price"}\n`,
    );
    expect(await levadura(["check"], right)).toMatchObject({ status: 0 });
  });

  it("say which name something has by now, and are updated by one option", async () => {
    const folder = projectWith(
      `levadura: 1
entities:
  Hive:
    fields:
      code: text
      # The price stays as it is.
      honey: "= sum(harvests.weight, harvests.weight > 1) + length(code)"
      all: "= honey + sum( harvests.weight )"
    rules:
      - Some weight.: '= sum(harvests.weight) >= 0'
  Yield:
    was: Harvest
    fields:
      hive: one Hive, required
      mass: decimal, was weight
      price: money
      value: "= weight*price"
      more: {value: "= value + weight", label: weight}
      seen: date, default = today + 1 days, required when weight > 1, shown when weight < 50
      kind: choice big | gone was old, shown when kind = 'OLD', required
      other: '= if(kind = "old", 1, 2)'
      text: {type: text, required when: "= weight > 2", default: "= 'a' & weight"}
`,
    );
    const wrong = await levadura(["check"], folder);
    expect(wrong.status).toBe(1);
    expect(wrong.err).toContain("`harvests` is called `yields` now");
    expect(wrong.err).toContain("`weight` is called `mass` now");
    expect(wrong.err).toContain("levadura check --fix");
    const updated = await levadura(["check", "--fix"], folder);
    expect(updated).toMatchObject({ status: 0, err: "" });
    expect(updated.out).toContain("Formulas follow their fields  16 names");
    const text = readFileSync(join(folder, "model.yaml"), "utf8");
    expect(text).toContain('honey: "= sum(yields.mass, yields.mass > 1) + length(code)"');
    expect(text).toContain('all: "= honey + sum( yields.mass )"');
    expect(text).toContain("- Some weight.: '= sum(yields.mass) >= 0'");
    expect(text).toContain('more: {value: "= value + mass", label: weight}');
    expect(text).toContain(
      "seen: date, default = today + 1 days, required when mass > 1, shown when mass < 50",
    );
    expect(text).toContain(
      `text: {type: text, required when: "= mass > 2", default: "= 'a' & mass"}`,
    );
    expect(text).toContain("kind: choice big | gone was old, shown when kind = 'gone', required");
    expect(text).toContain(`other: '= if(kind = "gone", 1, 2)'`);
    expect((await levadura(["check", "--fix"], folder)).out).toContain(
      "No formula has an old name.",
    );
    expect(readFileSync(join(folder, "model.yaml"), "utf8")).toBe(text);
  });

  it("have every function on their page, with an example that is read", () => {
    for (const { example } of [...Object.values(functions), ...Object.values(rowFunctions)]) {
      expect(page).toContain(`\`${example}\``);
      expect(parseFormula(`= ${example}`)).toHaveProperty("expression");
    }
  });
});
