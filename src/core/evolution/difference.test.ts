import { describe, expect, it } from "vitest";
import type { Model } from "../model/model.ts";
import { readModel } from "../model/read.ts";
import { schemaOf } from "../schema/from-model.ts";
import type { Schema } from "../schema/schema.ts";
import type { Decisions } from "./change.ts";
import { difference } from "./difference.ts";
import { inverseOf } from "./inverse.ts";
import { tableBefore, withNamesBefore } from "./names-before.ts";
import { describeStep, nameStep, replay, type Step } from "./steps.ts";

function model(entities: string, before = ""): Model {
  const text = `levadura: 1\n${before}entities:\n${entities}`;
  const { model: read, diagnostics } = readModel(text);
  if (!read) throw new Error(diagnostics.map(({ message }) => message).join("\n"));
  return read;
}

/** Entities in a few words: `Hive: code text, town text`. */
function entities(...lines: string[]): string {
  return lines
    .map((line) => {
      const [head = "", fields = ""] = line.split(": ");
      const [name, was] = head.split(" was ");
      const list = fields.split("; ").map((field) => {
        const at = field.indexOf(" ");
        return `      ${field.slice(0, at)}: ${JSON.stringify(field.slice(at + 1))}`;
      });
      return `  ${name}:\n${was ? `    was: ${was}\n` : ""}    fields:\n${list.join("\n")}\n`;
    })
    .join("");
}

function between(before: string[], after: string[], decisions?: Decisions) {
  const from = schemaOf(model(entities(...before)));
  return { from, ...difference(from, model(entities(...after)), decisions) };
}

const kinds = (steps: readonly Step[]) =>
  steps.map(({ kind }) => kind).filter((kind) => !kind.endsWith("index"));
const sentences = (changes: readonly { sentence: string }[]) =>
  changes.map(({ sentence }) => sentence).filter((sentence) => !sentence.includes("indexes"));

/** The schema without the order of tables and columns, and without labels. */
function bare({ tables }: Schema): unknown {
  const byName = (a: { name: string }, b: { name: string }) => (a.name < b.name ? -1 : 1);
  return tables
    .map(({ label: _, ...table }) => ({
      ...table,
      columns: table.columns.toSorted(byName),
      indexes: table.indexes.toSorted(byName),
    }))
    .sort(byName);
}

describe("the steps between two models", () => {
  const apiary = "Apiary: name text, required, unique";
  it.each<[string, string[], string[], string[], string[]]>([
    [
      "a field with another name",
      ["Hive: code text; town text"],
      ["Hive: code text; place text, was town"],
      ["rename column"],
      ["hive.town is called place now"],
    ],
    [
      "an entity with another name, and what is named after it",
      ["Hive: code text; friends many Hive"],
      ["Colony was Hive: code text; friends many Colony"],
      ["rename table", "rename table", "rename column", "rename column"],
      ["hive is called colony now", "the columns of colony_friends follow the names of its tables"],
    ],
    [
      "names that pass from one to the other",
      ["Hive: a text; b text"],
      ["Hive: b text, was a; c text, was b"],
      ["rename column", "rename column"],
      ["hive.b is called c now", "hive.a is called b now"],
    ],
    [
      "a name that a new entity takes over",
      ["Hive: code text"],
      ["Colony was Hive: code text", "Hive: code text"],
      ["rename table", "add table"],
      ["hive is called colony now", "hive is new"],
    ],
    [
      "a former name that is there no longer",
      ["Hive: code text"],
      ["Hive: code text, was number"],
      [],
      [],
    ],
    [
      "a text that becomes a lookup",
      [apiary, "Hive: code text; apiary text, required"],
      [apiary, "Hive: code text; apiary one Apiary, required"],
      ["add column", "change column", "extract lookup", "change column", "drop column"],
      ["the texts in hive.apiary become rows of apiary, and apiary_id leads to them"],
    ],
    [
      "a lookup that becomes a text",
      [apiary, "Hive: code text; apiary one Apiary"],
      [apiary, "Hive: code text; apiary text"],
      ["add column", "inline lookup", "drop column"],
      ["hive.apiary_id becomes the text apiary, with what apiary.name says"],
    ],
    [
      "one that becomes many",
      [apiary, "Hive: code text; at one Apiary"],
      [apiary, "Hive: code text; at many Apiary"],
      ["add table", "reference to links", "drop column"],
      ["hive.at_id becomes the table hive_at, which can hold several for each hive"],
    ],
    [
      "many that become one",
      [apiary, "Hive: code text; at many Apiary"],
      [apiary, "Hive: code text; at one Apiary"],
      ["add column", "links to reference", "drop table"],
      ["hive_at becomes hive.at_id, which holds one for each hive"],
    ],
    [
      "a reference to something else",
      [apiary, "Hive: code text; at one Apiary"],
      [apiary, "Hive: code text; at one Hive"],
      ["drop column", "add column"],
      ["hive.at_id leads to hive instead of apiary"],
    ],
    [
      "links to something else",
      [apiary, "Hive: code text; at many Apiary"],
      [apiary, "Hive: code text; at many Hive"],
      ["drop table", "add table"],
      ["hive_at leads to hive instead of apiary"],
    ],
    [
      "a field that moves to what is referred to",
      [apiary, "Hive: code text; at one Apiary; town text"],
      [
        "Apiary: name text, required, unique; town text, was Hive.town",
        "Hive: code text; at one Apiary",
      ],
      ["add column", "move column", "drop column"],
      ["hive.town moves to apiary.town, along hive.at_id"],
    ],
    [
      "choices with another name, more of them, and fewer",
      ["Hive: state choice a | b | c"],
      ["Hive: state choice a | bee was b | d"],
      ["change column"],
      ["hive.state has the choice b as bee and no longer takes c and takes d too"],
    ],
    [
      "a type, a range, a requirement and a default",
      ["Hive: size text 2..20; count integer 0..9"],
      ["Hive: size integer, required, fill 1; count integer 0..5, default 2"],
      ["change column", "change column"],
      [
        "hive.size turns from text of at most 20 characters into integer and becomes required",
        "hive.count has the default 2 and takes values of 0..5",
      ],
    ],
  ])("for %s", (_what, before, after, expected, said) => {
    const { from, steps, changes } = between(before, after);
    expect(sentences(changes)).toEqual(said);
    expect(kinds(steps)).toEqual(expected);
    // They lead to the model's schema, and what takes them back leads back.
    const goal = schemaOf(model(entities(...after)));
    expect(bare(replay(steps, from))).toEqual(bare(goal));
    expect(bare(replay(inverseOf(steps), replay(steps, from)))).toEqual(bare(from));
    expect(difference(replay(steps, from), model(entities(...after))).changes).toEqual([]);
    for (const step of steps) {
      expect(describeStep(step)).not.toBe("");
      expect(nameStep(step)).toMatch(/^[\p{L}\p{N}-]+$/u);
    }
  });

  it("name what deletes data, and what seems to have another name", () => {
    const { changes, renames } = between(
      ["Hive: code text; town text; weight decimal", "Old: name text; size integer"],
      ["Hive: code text; place text", "New: name text; size integer"],
    );
    expect(changes.flatMap(({ lossAccepted }) => lossAccepted ?? [])).toEqual([
      "hive.town",
      "hive.weight",
      "old",
    ]);
    expect(renames).toEqual([
      { table: "hive", column: "town", to: "place", line: "was town" },
      { table: "old", to: "new", line: "was: Old" },
    ]);
  });

  it("follow what a person decided about them", () => {
    const before = ["Hive: code text; town text"];
    const after = ["Hive: code text; place text"];
    const formerly = new Map([["hive.place", "town"]]);
    expect(kinds(between(before, after, { formerly }).steps)).toEqual(["rename column"]);
    const decided = between(before, after, { acceptLoss: new Set(["hive.town"]) });
    expect(decided.renames).toEqual([]);
    const lossy = between(["Hive: size text"], ["Hive: size integer"], {
      acceptLoss: new Set(["hive.size"]),
    });
    expect(lossy.steps[0]).toMatchObject({ kind: "change column", lossy: true, keep: "hive-size" });
  });

  it("say what can't be done, and what it needs", () => {
    const lookup = "Hive: code text; apiary one Apiary";
    const text = "Hive: code text; apiary text";
    const needing = (fields: string) => between([text], [`Apiary: ${fields}`, lookup]).changes;
    expect(needing("size integer").find(({ impossible }) => impossible)?.impossible).toBe(
      "apiary has no text that tells its rows apart",
    );
    expect(
      needing("name text, unique; size integer, required").find(({ impossible }) => impossible)
        ?.impossible,
    ).toBe("new rows of apiary need a value for size: give it `fill`");
    const filled = needing("name text, unique; size integer, required, fill 3");
    expect(filled.every(({ impossible }) => impossible === undefined)).toBe(true);
    expect(filled.flatMap(({ steps }) => steps)).toContainEqual(
      expect.objectContaining({ kind: "extract lookup", others: { size: { value: 3 } } }),
    );
  });

  it("know which rows got a default, so that it makes no record on the way back", () => {
    const { steps } = between(
      ["Apiary: name text, required, unique", "Hive: code text; place one Apiary"],
      [
        "Apiary: name text, required, unique",
        "Hive: code text; town text, was place, required, default none",
      ],
    );
    expect(steps).toContainEqual(
      expect.objectContaining({
        kind: "add column",
        column: expect.not.objectContaining({ default: "none" }),
      }),
    );
    expect(steps).toContainEqual(
      expect.objectContaining({
        kind: "change column",
        fill: { value: "none" },
        keep: "hive-town",
      }),
    );
  });

  it("leave to its own change what new rows need in a column that changes its type", () => {
    const rows = (before: string) =>
      between(
        [`Apiary: name text, required, unique; ${before}`, "Hive: code text; apiary text"],
        [
          "Apiary: name text, required, unique; size integer, required, fill 3",
          "Hive: code text; apiary one Apiary",
        ],
      );
    const made = rows("size date").steps.find(({ kind }) => kind === "extract lookup");
    expect(made).not.toHaveProperty("others");
    expect(
      rows("size date, required").changes.flatMap(({ impossible }) => impossible ?? []),
    ).toEqual([
      "new rows of apiary need a value for size while its type changes: change it in a migration before",
    ]);
  });

  it("let go, on the way back, of rows that several columns were made into", () => {
    const { steps } = between(
      ["Keeper: name text, unique; boss text", "Hive: code text; keeper text"],
      ["Keeper: name text, unique; boss one Keeper", "Hive: code text; keeper one Keeper"],
    );
    const back = inverseOf(steps).filter(({ kind }) => kind === "inline lookup");
    expect(back.map((step) => ("spent" in step ? step.spent : undefined))).toEqual([
      undefined,
      [
        {
          table: (back[0] as { table: string }).table,
          column: (back[0] as { reference: string }).reference,
        },
      ],
    ]);
  });

  it("let rows be made before a required column of theirs goes", () => {
    const { steps } = between(
      ["Hive: name text; size integer, required; boss text"],
      ["Hive: name text; boss one Hive"],
    );
    const at = (kind: string) => steps.findIndex((step) => step.kind === kind);
    expect(at("change column")).toBeLessThan(at("extract lookup"));
  });
});

describe("a step in the names that a database still has", () => {
  const { steps } = between(
    ["Hive: code text; town text"],
    ["Colony was Hive: code integer; place text, required, was town"],
  );
  const change = (column: string) =>
    steps.findIndex((step) => step.kind === "change column" && step.to.name === column);

  it("is about the old table and the old column", () => {
    const at = change("place");
    expect(withNamesBefore(steps[at] as Step, steps.slice(0, at))).toMatchObject({
      table: "hive",
      from: { name: "town" },
    });
    expect(tableBefore("colony", steps)).toBe("hive");
  });

  it("is undefined where it is about something new", () => {
    const added: Step[] = between(
      ["Hive: code text"],
      ["Hive: code text; extra text, unique"],
    ).steps;
    const index = added.findIndex(({ kind }) => kind === "add index");
    expect(withNamesBefore(added[index] as Step, added.slice(0, index))).toBeUndefined();
    expect(
      tableBefore("apiary", between(["Hive: a text"], ["Hive: a text", "Apiary: a text"]).steps),
    ).toBe(undefined);
  });
});

describe("the tables of people who sign in", () => {
  const plain = model(entities("Hive: code text"));
  const signingIn = model(entities("Hive: code text"), "users:\n  groups: {office: Office}\n");
  const schema = schemaOf(signingIn);
  const tablesIn = (steps: readonly Step[], wanted: Step["kind"]) =>
    steps.flatMap((step) =>
      step.kind === wanted && "table" in step && typeof step.table !== "string"
        ? [step.table.name]
        : [],
    );

  it("come with users, stay as they are, and go with them", () => {
    const begun = difference({ tables: [] }, plain).steps;
    const come = difference(schemaOf(plain), signingIn).steps;
    expect(tablesIn(come, "add table")).toContain("levadura_account");
    expect(bare(replay([...begun, ...come]))).toEqual(bare(schema));
    expect(difference(schema, signingIn).changes).toEqual([]);
    const gone = difference(schema, plain).steps;
    expect(tablesIn(gone, "drop table").sort()).toEqual(tablesIn(come, "add table").sort());
    expect(bare(replay([...begun, ...come, ...gone]))).toEqual(bare(schemaOf(plain)));
  });

  it("get what a later version adds to them", () => {
    const older = schema.tables.map((table) =>
      table.name === "levadura_account"
        ? { ...table, columns: table.columns.filter(({ name }) => name !== "record_id") }
        : table,
    );
    const { changes, steps } = difference({ tables: older }, signingIn);
    expect(sentences(changes)).toEqual(["levadura_account.record_id is new"]);
    expect(kinds(steps)).toEqual(["add column"]);
  });
});
