import { describe, expect, it } from "vitest";
import type { Model } from "../model/model.ts";
import { readModel } from "../model/read.ts";
import { schemaOf } from "../schema/from-model.ts";
import { impactOf } from "../sql/impact.ts";
import { sqlite } from "../sql/sqlite/dialect.ts";
import { deferChanges } from "./deferred-changes.ts";
import { difference } from "./difference.ts";
import { replay } from "./steps.ts";
import { parseSteps, printSteps } from "./steps-yaml.ts";

function model(fields: string, rest = ""): Model {
  const text = `levadura: 1\nentities:\n  Apiary: {fields: {name: "text, required"}}\n  Hive:\n    fields:\n      code: text, required\n${fields.replace(/^/gm, "      ")}\n${rest}`;
  const reading = readModel(text);
  if (!reading.model) throw new Error(reading.diagnostics.map(({ message }) => message).join("\n"));
  return reading.model;
}

const before = model("apiary: one Apiary\nnotes: text ..100\nkeepers: many Apiary");
/** Changes that rows could violate it of, or be lost by; and the steps of all. */
function changes(to: Model) {
  const from = schemaOf(before);
  const { changes: all, steps } = difference(from, to);
  const waiting = all.filter(
    (change) =>
      change.lossAccepted !== undefined ||
      change.impossible !== undefined ||
      impactOf(change, steps, from, sqlite).risks.length > 0,
  );
  return { waiting, steps };
}

describe("the difference of two schemas", () => {
  it("leads from nothing to the schema, by way of the written steps", () => {
    const { steps } = difference({ tables: [] }, before);
    const read = parseSteps(printSteps(steps));
    expect(read).toEqual({ steps });
    expect(difference(replay(steps), before).changes).toEqual([]);
  });

  it.each([
    [
      "a new field",
      "apiary: one Apiary\nnotes: text ..100\nkeepers: many Apiary\nweight: decimal",
      ["add column", "add index"],
    ],
    [
      "a new lookup",
      "apiary: one Apiary\nnotes: text ..100\nkeepers: many Apiary\nhome: one Apiary",
      ["add column", "add index"],
    ],
    [
      "a new switch, which every row has off",
      "apiary: one Apiary\nnotes: text ..100\nkeepers: many Apiary\nsunny: boolean",
      ["add column"],
    ],
    [
      "a new unique field",
      "apiary: one Apiary\nnotes: text ..100\nkeepers: many Apiary\nmark: text, unique",
      ["add column", "add index"],
    ],
    [
      "a new field with many",
      "apiary: one Apiary\nnotes: text ..100\nkeepers: many Apiary\nfriends: many Hive",
      ["add table"],
    ],
  ])("takes %s as safe", (_what, fields, kinds) => {
    const { steps, waiting } = changes(model(fields));
    expect(waiting).toEqual([]);
    expect(steps.map(({ kind }) => kind).filter((kind) => kind !== "drop index")).toEqual(kinds);
  });

  it.each([
    [
      "apiary: one Apiary\nnotes: text ..50\nkeepers: many Apiary",
      "hive.notes takes text of at most 50 characters and takes a length of ..50",
    ],
    ["apiary: one Apiary\nkeepers: many Apiary", "hive.notes is no longer in the model"],
    ["apiary: one Apiary\nnotes: text ..100", "hive_keepers is no longer in the model"],
    [
      "apiary: one Apiary, required\nnotes: text ..100\nkeepers: many Apiary",
      "hive.apiary_id becomes required",
    ],
    [
      "apiary: one Apiary\nnotes: text ..100, unique\nkeepers: many Apiary",
      "hive (notes) has to be unique",
    ],
    [
      "apiary: one Apiary\nnotes: text ..100\nkeepers: many Apiary\nborn: date, required",
      "hive.born is new and required",
    ],
    [
      "apiary: one Hive\nnotes: text ..100\nkeepers: many Apiary",
      "hive.apiary_id leads to hive instead of apiary",
    ],
  ])("makes %j wait, and holding it back leaves nothing that waits", (fields, message) => {
    const wanted = model(`${fields}\nextra: integer`);
    const { waiting } = changes(wanted);
    expect(waiting.map((change) => change.sentence)).toContain(message);
    const held = deferChanges(wanted, before, waiting);
    const rest = changes(held);
    expect(rest.waiting).toEqual([]);
    expect(rest.steps).toContainEqual(
      expect.objectContaining({
        kind: "add column",
        column: expect.objectContaining({ name: "extra" }),
      }),
    );
  });

  it("holds back a field from title, columns, sections and sort", () => {
    const wanted = model(
      "apiary: one Apiary\nnotes: text ..100\nkeepers: many Apiary\nborn: date, required",
      '    title: "{code} {born}"\n    columns: [code, born]\n    sort: born descending\n    sections: [{All: [code, born, notes]}]',
    );
    const held = deferChanges(wanted, before, changes(wanted).waiting);
    const hive = held.entities.find(({ name }) => name === "Hive");
    expect(hive).toMatchObject({
      title: [{ field: "code" }],
      columns: ["code"],
      sort: [],
      sections: [{ title: "All", fields: ["code", "notes"] }],
    });
  });

  it("holds back a removed entity", () => {
    const wanted = { ...before, entities: before.entities.filter(({ name }) => name === "Apiary") };
    const held = deferChanges(wanted, before, changes(wanted).waiting);
    expect(changes(held)).toEqual({ steps: [], waiting: [] });
  });

  it.each([
    ["steps:\n  - kind: drop everything", /^step 1 \(drop everything\) at kind: Invalid/],
    [
      "steps:\n  - {kind: rename table, table: a, to: b}\n  - {kind: rename table, table: a}",
      /^step 2 \(rename table\) at to: Invalid/,
    ],
    ["steps:\n  - {kind: rename table, table: a, to: b, was: c}", /^step 1 .*: Unrecognized key/],
    ["steps:\n  - 7", /^step 1: Invalid/],
    ["steps: 7", /^it has no list/],
    ["other: 7", /^it has no list/],
    ["steps: [", /^it is no YAML: /],
  ])("says why steps that somebody broke can't be read: %j", (text, reason) => {
    expect(parseSteps(text)).toEqual({ reason: expect.stringMatching(reason) });
  });
});
