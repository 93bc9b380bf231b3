import { describe, expect, it } from "vitest";
import { readModel } from "../model/read.ts";
import { seedEntity, seedingPlan } from "./rows.ts";

function seed(
  entityText: string,
  count: number,
  number = 1,
  records = new Map<string, number[]>(),
) {
  const { model, diagnostics } = readModel(`levadura: 1\nentities:\n${entityText}`);
  const entity = model?.entities.at(-1);
  if (!model || !entity) throw new Error(JSON.stringify(diagnostics));
  return { model, ...seedEntity(entity, count, { seed: number, today: "2026-05-03", records }) };
}

const hive = `  Hive:
    fields:
      code: text 3..10, required, unique, placeholder B-07
      weight: decimal 2..9.5, places 1
      frames: integer 3..5, required
      status: choice active | weak
      installed: date 2026-01-01..today, required
      removed: date
      email: email, unique`;

describe("seeding", () => {
  it("gives the same rows for the same number, and others for another", () => {
    expect(seed(hive, 50).rows).toEqual(seed(hive, 50).rows);
    expect(seed(hive, 50, 2).rows).not.toEqual(seed(hive, 50).rows);
  });

  it("holds to every rule of the fields", () => {
    const { rows } = seed(hive, 200);
    expect(rows).toHaveLength(200);
    expect(new Set(rows.map(({ code }) => code)).size).toBe(200);
    for (const row of rows) {
      expect(String(row.code)).toMatch(/^B-\d{2,3}$/);
      if (row.weight !== null) expect(Number(row.weight)).toBeGreaterThanOrEqual(2);
      expect(Number(row.weight)).toBeLessThanOrEqual(9.5);
      expect([3, 4, 5]).toContain(row.frames);
      expect(["active", "weak"]).toContain(row.status);
      expect(String(row.installed) >= "2026-01-01" && String(row.installed) <= "2026-05-03").toBe(
        true,
      );
      if (row.removed !== null) expect(String(row.removed) >= String(row.installed)).toBe(true);
    }
  });

  it("makes fewer rows where no more exist that differ", () => {
    const { rows } = seed("  Mark:\n    fields:\n      n: integer 1..4, required, unique", 20);
    expect(rows.map(({ n }) => n)).toEqual([1, 2, 3, 4]);
  });

  it("refers to records that are there, one to one where that is asked for", () => {
    const text =
      "  Apiary: {fields: {name: text}}\n  Gate:\n    fields:\n      apiary: one Apiary, required, unique\n      others: many Apiary";
    const { rows, links } = seed(text, 9, 1, new Map([["Apiary", [11, 12, 13]]]));
    expect(rows.map((row) => row.apiary_id)).toEqual([11, 12, 13]);
    const pairs = links[0]?.pairs.map(String) ?? [];
    expect(new Set(pairs).size).toBe(pairs.length);
  });

  it("gives few parents and more children", () => {
    const { model } = seed("  A: {fields: {name: text}}\n  B: {fields: {a: part of A}}", 1);
    expect(seedingPlan(model).map(({ entity, count }) => [entity.name, count])).toEqual([
      ["A", 8],
      ["B", 24],
    ]);
  });
});
