import { readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, it } from "vitest";
import { entityParts } from "../src/core/appgen/application.ts";
import type { Model } from "../src/core/model/model.ts";
import { readModel } from "../src/core/model/read.ts";
import { demoModel } from "./support/demo.ts";
import { pairOfModels } from "./support/pairs.ts";
import { levadura, projectWith } from "./support/program.ts";

/** The entities of two models whose files are the same by what they are made of, and those that only are the same. */
function compared([one, other]: readonly [Model, Model]) {
  const before = new Map(entityParts(one).map((part) => [part.entity, part]));
  const pairs = entityParts(other).flatMap((part) => {
    const known = before.get(part.entity);
    return known ? [{ known, part }] : [];
  });
  const same = pairs.filter(({ known, part }) => known.basis === part.basis);
  for (const { known, part } of same) expect(part.files(), part.entity).toEqual(known.files());
  return { same: same.length, changed: pairs.length - same.length };
}

it("what an entity is made of is all that its files depend on, whatever changes in a model", () => {
  const rounds = Number(process.env.PAIRS ?? 150);
  const found = Array.from({ length: rounds }, (_, seed) => compared(pairOfModels(seed).models));
  const sum = (of: "same" | "changed") => found.reduce((total, each) => total + each[of], 0);
  expect([sum("same") > rounds / 10, sum("changed") > rounds / 10]).toEqual([true, true]);
});

it.each([
  ["the title of another entity", 'title: "{code}"', 'title: "{code} {status}"'],
  ["the name of the application", "Hive Book", "Bee Book"],
  ["the hint of a field", "hint: Count both boxes", "hint: Count all boxes"],
  ["a section", "- Visiting:", "- Visits:"],
  ["a rule", "A hive can't be removed before", "No hive is removed before"],
])("of the demo is changed: %s", (_what, from, to) => {
  const text = demoModel({ open: true });
  expect(text).toContain(from);
  const models = [text, text.replace(from, to)].map((each) => readModel(each).model as Model);
  compared(models as [Model, Model]);
});

const model = (label: string) => `levadura: 1
entities:
  Apiary: {fields: {name: "text, required, unique"}}
  Hive: {fields: {code: "text, required, unique, label ${label}", apiary: one Apiary}}
`;

it("building again writes what changed, and what was taken back", async () => {
  const folder = projectWith(model("Code"));
  const build = async (...more: string[]) => {
    const { out, status } = await levadura(["build", "--json", ...more], folder);
    expect(status, out).toBe(0);
    const { written, unchanged, removed, kept, conflicts } = JSON.parse(out);
    return { written, unchanged, removed, kept: [...kept, ...conflicts] };
  };
  const at = (path: string) => join(folder, "app/src/entities/hive", path);
  const { written: all } = await build();
  expect(await build()).toEqual({ written: 0, unchanged: all, removed: 0, kept: [] });

  const first = readFileSync(at("hive.ts"), "utf8");
  writeFileSync(join(folder, "model.yaml"), model("Number"));
  expect(await build()).toEqual({ written: 1, unchanged: all - 1, removed: 0, kept: [] });
  expect(readFileSync(at("hive.ts"), "utf8")).toContain("Number");

  // A file that somebody edited where something is new is left alone, and replaced once the edit is taken back.
  const second = readFileSync(at("hive.ts"), "utf8");
  writeFileSync(at("hive.ts"), second.replace("Number", "Mine"));
  writeFileSync(join(folder, "model.yaml"), model("Code"));
  expect((await build()).kept).toEqual(["src/entities/hive/hive.ts"]);
  writeFileSync(at("hive.ts"), second);
  expect(await build()).toMatchObject({ written: 1, kept: [] });
  expect(readFileSync(at("hive.ts"), "utf8")).toBe(first);
  writeFileSync(join(folder, "model.yaml"), model("Number"));
  rmSync(at("hive.ts"));
  rmSync(at("hive.list.tsx"));
  const restored = ["hive.ts", "hive.list.tsx"].flatMap((file) => [
    "--restore",
    `src/entities/hive/${file}`,
  ]);
  expect(await build(...restored)).toMatchObject({ written: 2, kept: [] });
  expect(readFileSync(at("hive.ts"), "utf8")).toContain("Number");

  writeFileSync(join(folder, "model.yaml"), model("Number").replace(/\n {2}Hive: .*/, ""));
  const without = await build();
  expect([without.removed > 5, without.kept]).toEqual([true, []]);
  writeFileSync(join(folder, "model.yaml"), model("Number"));
  expect((await build()).written).toBeGreaterThan(5);
});
