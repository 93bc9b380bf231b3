import { describe, expect, it } from "vitest";
import type { Model } from "../model/model.ts";
import { readModel } from "../model/read.ts";
import { renamesBetween } from "./renames.ts";

function modelOf(entities: string): Model {
  const read = readModel(`levadura: 1\nentities:\n${entities}`);
  if (!read.model) throw new Error(JSON.stringify(read));
  return read.model;
}

const before =
  modelOf(`  Hive: {fields: {code: text, from: text, to: text, state: choice weak | strong}}
  BeeHive: {fields: {code: text}}
  Visit: {fields: {hive: one Hive, code: text}}
`);
const now =
  modelOf(`  Colony: {was: Hive, fields: {mark: "text, was code", to: "text, was from", from: "text, was to", state: choice faint was weak | strong}}
  BeeHive: {fields: {code: text}}
  Visit: {fields: {hive: one Colony, code: text}}
`);
const renames = renamesBetween(before, now);

/** A line that somebody wrote in a file, with the names of now. */
const own = (path: string, line: string) =>
  renames.inFile({ path, base: "", mine: line, fresh: "" }).mine;

describe("names that the model gives", () => {
  it.each([
    ["src/entities/hive/hive.list.tsx", "src/entities/colony/colony.list.tsx"],
    ["src/entities/hive/parts/hive.ts", "src/entities/colony/parts/hive.ts"],
    ["test/hive.test.ts", "test/colony.test.ts"],
    ["test/samples/hive.ts", "test/samples/colony.ts"],
    ["src/entities/bee-hive/bee-hive.ts", "src/entities/bee-hive/bee-hive.ts"],
    ["src/entities/hives.ts", "src/entities/hives.ts"],
    ["test/hive-ages.test.ts", "test/hive-ages.test.ts"],
    ["src/app.css", "src/app.css"],
  ])("move %s to %s", (path, moved) => expect(renames.movedPath(path)).toBe(moved));

  const colony = "src/entities/colony/colony.list.tsx";
  const visit = "src/entities/visit/visit.list.tsx";
  it.each([
    [colony, "const one: HiveRow = hiveColumns[0];", "const one: ColonyRow = colonyColumns[0];"],
    [colony, 'import { a } from "./hive.ts";', 'import { a } from "./colony.ts";'],
    [
      colony,
      'db.selectFrom("hive").where("hive.code", "=", 1)',
      'db.selectFrom("colony").where("colony.mark", "=", 1)',
    ],
    [colony, "link(`/hives/$" + "{row.code}`)", "link(`/colonies/$" + "{row.mark}`)"],
    [colony, "copy(row.from, row.to)", "copy(row.to, row.from)"],
    [
      colony,
      'row.state === "weak" ? { code: "No code." } : {}',
      'row.state === "faint" ? { mark: "No code." } : {}',
    ],
    // Words, comments, variables and the names of others stay.
    [colony, "<p>A hive of code weak</p>", "<p>A hive of code weak</p>"],
    [colony, "sum(row.code); // the code of a HiveRow", "sum(row.mark); // the code of a HiveRow"],
    [colony, " * HiveRow and code", " * HiveRow and code"],
    [
      colony,
      "(hive) => beeHiveEntity.of(hive, BeeHiveRow)",
      "(hive) => beeHiveEntity.of(hive, BeeHiveRow)",
    ],
    [colony, 'heading("Hive")', 'heading("Hive")'],
    // A field that refers to one is still called so, and a field of another entity is another one.
    [visit, "row.hive_id + row.hive.code", "row.hive_id + row.hive.code"],
    [visit, "use(row.code, hiveEntity)", "use(row.code, colonyEntity)"],
  ])("in %s, %s", (path, line, renamed) => expect(own(path, line)).toBe(renamed));

  it("follow what is generated, where the line was generated", () => {
    const base = 'a("hive", "hive_id")\nb(hive, code)\n';
    const fresh = 'a("hive", "hive_id")\nb(colony, code)\n';
    expect(renames.inFile({ path: colony, base, mine: `${base}own(hiveRow)\n`, fresh })).toEqual({
      base: fresh,
      mine: `${fresh}own(colonyRow)\n`,
    });
  });

  it("are none where nothing has another name, or it was seen to", () => {
    expect(renamesBetween(undefined, now).isEmpty).toBe(true);
    expect(renamesBetween(now, now).isEmpty).toBe(true);
    expect(renamesBetween(before, before).isEmpty).toBe(true);
    const labelled = modelOf(
      "  Hive: {label: Hivelet, plural: Hives, fields: {code: {type: text, label: Number}}}\n",
    );
    expect(renamesBetween(modelOf("  Hive: {fields: {code: text}}\n"), labelled).isEmpty).toBe(
      true,
    );
    expect(renames.isEmpty).toBe(false);
  });
});
