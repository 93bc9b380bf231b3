import { describe, expect, it } from "vitest";
import { proposed } from "../../../test/support/sheets.ts";
import { readModel } from "../model/read.ts";
import type { ImportPlan } from "./plan.ts";
import { planModel } from "./plan-model.ts";

const hives = [
  ["Code", "Apiary", "Town"],
  ...Array.from({ length: 12 }, (_, at) => [
    `B-${at}`,
    ["Linden", "Mill", "Quarry"][at % 3] as string,
    ["Alder", "Alder", "Stone"][at % 3] as string,
  ]),
];
const { plan } = proposed({ Hives: hives });

/** The plan with its one split done or not, and fields changed. */
function changed(fields: Record<string, string> = {}, split = false): ImportPlan {
  return {
    ...plan,
    sheets: plan.sheets.map((sheet) => ({
      ...sheet,
      fields: sheet.fields.map((field) => ({
        ...field,
        is: fields[field.name] ?? (field.is as string),
      })),
      splits: sheet.splits.map((each) => ({ ...each, do: split })),
    })),
  };
}

describe("the model of a plan", () => {
  it("is a whole file, with what is split off before its sheet", () => {
    const { text, errors } = planModel(changed({}, true));
    expect(errors).toEqual([]);
    expect(text.slice(text.indexOf("entities:"))).toBe(`entities:
  Apiary:
    title: "{name}"
    fields:
      name: text, required, unique
      town: text

  Hive:
    title: "{code}"
    fields:
      code: text ..40, required, unique
      apiary: one Apiary, required

`);
  });

  it.each([
    [
      "with comments",
      "levadura: 1\nentities:\n  # Where they stand.\n  Keeper:\n    fields: # all of them\n      name: text, required, unique\n",
    ],
    [
      "with other keys behind",
      "levadura: 1\nentities:\n    Keeper:\n        fields:\n            name: text, required, unique\napp:\n    name: Bees\n",
    ],
    [
      "without a line end",
      "levadura: 1\nentities:\n  Keeper:\n    fields:\n      name: text, required, unique",
    ],
  ])("adds its entities to a model %s, and leaves what is there alone", (_what, existing) => {
    const { text, errors } = planModel(changed(), existing);
    expect(errors).toEqual([]);
    expect(readModel(text).model?.entities.map(({ name }) => name)).toEqual(["Keeper", "Hive"]);
    for (const line of existing.trimEnd().split("\n")) expect(text).toContain(line);
    expect(planModel(changed(), text).text).toBe(text);
  });

  it.each([
    [{ town: "txt" }, "there is no type `txt`", "town"],
    [{ town: "one Place" }, "there is no entity `Place`", "town"],
    [{ code: "integer ..5, requird" }, "there is no option `requird`", "code"],
  ])("says of %j what is wrong, and of which field of the plan", (fields, message, name) => {
    const { errors } = planModel(changed(fields as Record<string, string>));
    expect(errors.map((error) => error.message).join()).toContain(message);
    expect(errors[0]?.path).toEqual(["sheets", 0, "fields", name, "is"]);
  });
});
