import { describe, expect, it } from "vitest";
import { readModel } from "../model/read.ts";
import { limitsOf, sharedOut, usualCounts } from "./plan.ts";
import { Unmakeable } from "./rows.ts";
import { type Present, Sampling } from "./sampling.ts";
import type { Value } from "./value.ts";

type Row = Record<string, Value>;

function modelOf(entities: string) {
  const { model, diagnostics } = readModel(`levadura: 1\nentities:\n${entities}`);
  if (!model) throw new Error(JSON.stringify(diagnostics));
  return model;
}

/** Sample rows by entity; each with its number. */
function rowsOf(
  entities: string,
  counts: Record<string, number>,
  { seed = 1, present = new Map<string, Present>() } = {},
): Record<string, Row[]> {
  const sampling = new Sampling(modelOf(entities), {
    seed,
    today: "2026-05-03",
    now: "2026-05-03T07:00:00Z",
    counts: new Map(Object.entries(counts)),
    present,
  });
  const made: Record<string, Row[]> = {};
  const samples = [];
  for (const sample of sampling.entities()) {
    made[sample.entity.name] = [...sample.rows()].map((row, at) => ({
      id: sample.first + at,
      ...row,
    }));
    samples.push(sample);
  }
  for (const { entity } of samples) {
    for (const [at, row] of (made[entity.name] ?? []).entries()) {
      for (const { field, targets } of sampling.linksOf(entity))
        row[field.name] = targets(at).join(" ");
      for (const { column, value } of sampling.lateOf(entity)) row[column] = value(at);
    }
  }
  return made;
}

const bees = `  Apiary:
    fields:
      name: text, required, unique
      opened: date ..today, required
  Hive:
    fields:
      code: text 3..10, required, unique, placeholder B-07
      apiary: one Apiary, required
      status: choice active | weak | retired, required, default active
      installed: date ..today, required
      removed: date, shown when status = 'retired', required
      weight: decimal 2..9.5, places 1
    rules:
      - It has to be there before it goes.: "= removed is empty or removed >= installed"
  Inspection:
    fields:
      hive: part of Hive
      date: date ..today, required
      frames: integer 0..30
    unique: [hive, date]
`;

const many = { Apiary: 20, Hive: 200, Inspection: 2000 };

describe("sample rows", () => {
  it("are the same for the same number, and others for another", () => {
    expect(rowsOf(bees, many)).toEqual(rowsOf(bees, many));
    expect(rowsOf(bees, many, { seed: 2 }).Hive).not.toEqual(rowsOf(bees, many).Hive);
  });

  it("keep their other values when a field is added, and their rows when an entity is", () => {
    const before = rowsOf(bees, many);
    const field = rowsOf(bees.replace("      weight:", "      paint: color\n      weight:"), many);
    expect(field.Hive?.map(({ paint: _, ...row }) => row)).toEqual(before.Hive);
    expect(field.Inspection).toEqual(before.Inspection);
    const entity = `  Town: {fields: {name: text}}\n${bees}`;
    expect(rowsOf(entity, { ...many, Town: 9 })).toMatchObject(before);
    const more = rowsOf(bees, { ...many, Inspection: 2500 });
    expect(more.Inspection?.slice(0, 2000)).toEqual(before.Inspection);
  });

  it("tell the days in the order in which things happen", () => {
    const { Apiary = [], Hive = [], Inspection = [] } = rowsOf(bees, many);
    const byId = (rows: Row[]) => new Map(rows.map((row) => [row.id, row]));
    const [apiaries, hives] = [byId(Apiary), byId(Hive)];
    for (const { apiary_id, installed, removed, status } of Hive) {
      expect(String(installed) >= String(apiaries.get(apiary_id ?? 0)?.opened)).toBe(true);
      expect(removed !== null).toBe(status === "retired");
      if (removed !== null) expect(String(removed) >= String(installed)).toBe(true);
    }
    for (const { hive_id, date } of Inspection) {
      const { installed, removed } = hives.get(hive_id ?? 0) ?? {};
      expect(String(date) >= String(installed), `${date} ${installed}`).toBe(true);
      expect(String(date) <= String(removed ?? "2026-05-03"), `${date} ${removed}`).toBe(true);
    }
    const pairs = Inspection.map(({ hive_id, date }) => `${hive_id} ${date}`);
    expect(new Set(pairs).size).toBe(2000);
  });

  it("come from the last years: events of late, and what they hang on from before", () => {
    const { Apiary = [], Hive = [], Inspection = [] } = rowsOf(bees, many);
    const all = (rows: Row[], column: string) => rows.map((row) => String(row[column])).sort();
    const opened = all(Apiary, "opened");
    expect(String(opened[0]) >= "2014" && String(opened.at(-1)) <= "2023-05-04").toBe(true);
    const installed = all(Hive, "installed");
    expect(String(installed[0]) >= "2021" && String(installed.at(-1)) <= "2026-01-03").toBe(true);
    const dates = all(Inspection, "date");
    expect(String(dates[0]) >= "2021" && String(dates.at(-1)) <= "2026-05-03").toBe(true);
    const late = dates.filter((date) => date > "2025-05-03").length / dates.length;
    expect(late).toBeGreaterThan(0.5);
    expect(late).toBeLessThan(0.75);
  });

  it("spread children as in life: some parents have none, and few have many", () => {
    const { Harvest = [] } = rowsOf(
      "  Hive: {fields: {code: text}}\n  Harvest: {fields: {hive: 'one Hive, required'}}\n",
      { Hive: 2000, Harvest: 6000 },
    );
    const of = new Map<Value, number>();
    for (const { hive_id = null } of Harvest) of.set(hive_id, (of.get(hive_id) ?? 0) + 1);
    const none = (2000 - of.size) / 2000;
    expect(none).toBeGreaterThan(0.1);
    expect(none).toBeLessThan(0.25);
    const busiest = [...of.values()].sort((a, b) => b - a).slice(0, 200);
    const share = busiest.reduce((sum, each) => sum + each, 0) / 6000;
    expect(share).toBeGreaterThan(0.33);
    expect(share).toBeLessThan(0.5);
    expect(Math.max(...of.values())).toBeLessThan(30);
    // How often a record is referred to doesn't depend on its number.
    const firstHalf = Harvest.filter(({ hive_id }) => Number(hive_id) <= 1000).length / 6000;
    expect(Math.abs(firstHalf - 0.5)).toBeLessThan(0.1);
  });

  it("hold what relationships ask for: trees, circles, one to one, many without doubles", () => {
    const {
      Keeper = [],
      Hive = [],
      Gate = [],
    } = rowsOf(
      `  Keeper:
    fields:
      name: text
      mentor: one Keeper
      favourite: one Hive
      friends: many Keeper
  Hive:
    fields:
      keeper: one Keeper
      owners: many Keeper, required
  Gate:
    fields:
      hive: one Hive, required, unique
`,
      { Keeper: 300, Hive: 300, Gate: 300 },
    );
    for (const { id, mentor_id } of Keeper)
      if (mentor_id !== null) expect(Number(mentor_id)).toBeLessThan(Number(id));
    expect(Keeper.some(({ mentor_id }) => mentor_id === null)).toBe(true);
    expect(
      Keeper.filter(({ mentor_id }) => Number(mentor_id) > 0 && Number(mentor_id) < 60).length,
    ).toBeGreaterThan(40);
    const filled = (rows: Row[], column: string) =>
      rows.filter((row) => row[column] !== null).length / rows.length;
    expect(filled(Keeper, "favourite_id")).toBeGreaterThan(0.7);
    expect(filled(Hive, "keeper_id")).toBeGreaterThan(0.7);
    expect(new Set(Gate.map(({ hive_id }) => hive_id)).size).toBe(300);
    for (const { owners = "" } of Hive) {
      const held = String(owners).split(" ");
      expect(held[0]).not.toBe("");
      expect(new Set(held).size).toBe(held.length);
    }
    for (const { id, friends = "" } of Keeper)
      expect(String(friends).split(" ")).not.toContain(String(id));
    for (const rows of [Keeper, Hive])
      for (const row of rows)
        for (const [column, value] of Object.entries(row))
          if (column.endsWith("_id") && value !== null) expect(value).toBeLessThanOrEqual(300);
  });

  it("fill every combination where there are no more than are asked for", () => {
    const { Slot = [] } = rowsOf(
      "  Slot:\n    fields:\n      month: integer 1..12, required\n      room: choice a | b | c, required\n    unique: [month, room]\n",
      { Slot: 36 },
    );
    expect(new Set(Slot.map(({ month, room }) => `${month} ${room}`)).size).toBe(36);
  });

  it("go on beside those that are there", () => {
    const present = new Map<string, Present>([
      [
        "Hive",
        {
          ids: [4, 9],
          highest: 12,
          made: 0,
          values: new Map([["code", ["b-001", "B-002"]]]),
        },
      ],
    ]);
    const { Hive = [], Inspection = [] } = rowsOf(
      `  Hive: {fields: {code: "text, required, unique"}}\n  Inspection: {fields: {hive: "one Hive, required"}}\n`,
      { Hive: 3, Inspection: 50 },
      { present },
    );
    expect(Hive).toEqual([
      { id: 13, code: "B-003" },
      { id: 14, code: "B-004" },
      { id: 15, code: "B-005" },
    ]);
    expect(new Set(Inspection.map(({ hive_id }) => hive_id))).toEqual(new Set([4, 9, 13, 14, 15]));
  });

  it.each([
    ["      a: integer, required\n    rules:\n      - Never.: '= a > 5 and a < 5'", "rule"],
    ["      a: choice x | y | z, required, unique", "used up"],
    ["      a: integer 1..5, required, unique", "used up"],
    ["      a: choice x | y, required\n      b: boolean\n    unique: [a, b]", "used up"],
  ])("end where there is no row that fits: %s", (fields, kind) => {
    let error: unknown;
    try {
      rowsOf(`  Hive:\n    fields:\n${fields}\n`, { Hive: 10 });
    } catch (thrown) {
      error = thrown;
    }
    expect(error).toBeInstanceOf(Unmakeable);
    expect((error as Unmakeable).trouble.kind).toBe(kind);
  });
});

describe("numbers within what a record belongs to", () => {
  const finds = (kind: string) =>
    `  Trench: {fields: {code: "text, required, unique"}}\n  Find:\n    fields:\n      trench: one Trench, required\n      ${kind}, required\n    unique: [trench, ${kind.split(":")[0]}]\n`;
  const perTrench = (rows: readonly Row[], field: string) => {
    const found = new Map<Value, Value[]>();
    for (const row of rows)
      found.set(row.trench_id ?? null, [
        ...(found.get(row.trench_id ?? null) ?? []),
        row[field] ?? null,
      ]);
    return [...found.values()];
  };

  it("count one by one, and go on behind those there are", () => {
    const counts = { Trench: 5, Find: 40 };
    for (const numbers of perTrench(rowsOf(finds("number: integer"), counts).Find ?? [], "number"))
      expect(numbers).toEqual(numbers.map((_, at) => at + 1));
    const values = new Map([
      ["trench_id", [1, 1]],
      ["number", [1, 7]],
    ]);
    const present = new Map<string, Present>([
      ["Find", { ids: [1, 2], highest: 2, made: 2, values }],
      ["Trench", { ids: [1], highest: 1, made: 1 }],
    ]);
    const { Find = [] } = rowsOf(finds("number: integer"), { Find: 3 }, { present });
    expect(Find.map(({ number }) => number)).toEqual([8, 9, 10]);
  });

  it("count what belongs to nothing, too", () => {
    const { Part = [] } = rowsOf(
      `  Part:\n    fields:\n      within: one Part\n      position: integer, required\n    unique: [within, position]\n`,
      { Part: 30 },
    );
    const roots = Part.filter(({ within_id }) => within_id === null);
    expect(roots.length).toBeGreaterThan(2);
    expect(roots.map(({ position }) => position)).toEqual(roots.map((_, at) => at + 1));
  });

  it("stay within their range, and years are no numbers of that kind", () => {
    const { Find = [] } = rowsOf(finds("number: integer 3..9"), { Trench: 4, Find: 20 });
    expect(Find.every(({ number }) => Number(number) >= 3 && Number(number) <= 9)).toBe(true);
    const years = rowsOf(finds("year: integer"), { Trench: 2, Find: 6 }).Find ?? [];
    expect(years.every(({ year }) => Number(year) > 2000)).toBe(true);
  });
});

describe("how many rows there are", () => {
  it("is few of what others hang on, and more of what hangs on it; and no more than there can be", () => {
    const model = modelOf(
      `  A: {fields: {name: text}}\n  B: {fields: {a: part of A}}\n  C: {fields: {b: "one B, required", x: "choice k | l, required, unique"}}\n  D: {fields: {b: "one B, required, unique"}}\n`,
    );
    const usual = usualCounts(model, "2026-05-03");
    expect([...usual]).toEqual([
      ["A", 12],
      ["B", 36],
      ["C", 2],
      ["D", 33],
    ]);
    expect(sharedOut(8300, usual).get("B")).toBe(3600);
    expect(usualCounts(model, "2026-05-03", new Map([["A", 3]])).get("B")).toBe(9);
  });

  it("is limited by what is unique, and by what there is to refer to", () => {
    const model = modelOf(
      `  A: {fields: {name: text}}\n  B:\n    fields:\n      a: one A, required, unique\n      x: integer 1..5, required\n      y: boolean\n      z: choice p | q, unique\n    unique: [x, y]\n`,
    );
    const [, entity] = model.entities;
    if (!entity) throw new Error("no entity");
    const limits = limitsOf(model, entity, "2026-05-03", 99, new Map([["A", 7]]));
    expect(
      limits.map(({ fields, possible }) => [fields.map(({ name }) => name), possible]),
    ).toEqual([
      [["a"], 7],
      [["x", "y"], 10],
    ]);
  });
});
