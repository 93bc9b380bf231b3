import { expect, it } from "vitest";
import { withoutCostly } from "./costly-options.ts";
import type { ImportPlan } from "./plan.ts";

const planWith = (fields: Record<string, string>): ImportPlan => ({
  app: { name: "Bees", language: "en", currency: "EUR", timezone: "UTC" },
  blank: [],
  sheets: [
    {
      file: "hives.csv",
      entity: "Hive",
      header: null,
      rows: { first: 1 },
      without: [],
      fields: Object.entries(fields).map(([name, is]) => ({ name, column: name, is })),
      leave: [],
      splits: [],
    },
  ],
});

const costly = (field: string, option: "required" | "unique") => ({
  entity: "Hive",
  field,
  option,
  row: 7,
  rows: 1,
});

it.each([
  ["text ..40, required, unique", "required", "text ..40, unique"],
  ['choice "x, required, y" | b, required', "required", 'choice "x, required, y" | b'],
  ['text, unique, label "a, unique, b"', "unique", 'text, label "a, unique, b"'],
] as const)("%s without %s is %s", (is, option, left) => {
  const found = withoutCostly(planWith({ code: is }), { sheets: [] }, [costly("code", option)]);
  expect(found?.plan.sheets[0]?.fields[0]?.is).toBe(left);
});

it("what others refer to stays unique", () => {
  const plan = planWith({ code: "text, unique", mother: "one Hive" });
  expect(withoutCostly(plan, { sheets: [] }, [costly("code", "unique")])).toBeUndefined();
});
