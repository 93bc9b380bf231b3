import { describe, expect, it } from "vitest";
import { readModel } from "../model/read.ts";
import { randomFor } from "./random.ts";
import { personFor, type Value, valueFor } from "./values.ts";

/** Twenty values of a field. */
function valuesOf(definition: string, entityName = "Hive"): Value[] {
  const { model, diagnostics } = readModel(
    `levadura: 1\nentities:\n  ${entityName}:\n    fields:\n      ${definition}\n`,
  );
  const entity = model?.entities[0];
  const field = entity?.fields[0];
  if (!entity || !field) throw new Error(JSON.stringify(diagnostics));
  return Array.from({ length: 20 }, (_, row) => {
    const random = randomFor(7, field.name, row);
    const person = personFor(randomFor(7, "person", row));
    return valueFor(field, {
      entity,
      row,
      attempt: 0,
      made: {},
      today: "2026-05-03",
      random,
      person,
    });
  });
}

describe("sample values", () => {
  it.each([
    ["name: text", "Keeper", /^[A-Z][a-z]+ [A-Z][a-z]+$/],
    ["name: text", "Apiary", /^[A-Z][a-z]+ [A-Z][a-z]+$/],
    ["name: text", "Tool", /^Tool \d+$/],
    ["first_name: text", "Member", /^[A-Z][a-z]+$/],
    ["town: text", "Apiary", /^[A-Z][a-z]+$/],
    ["code: text, placeholder B-07", "Hive", /^B-\d\d$/],
    ["code: text, hint Painted on the front as Q-001", "Queen", /^Q-\d{3}$/],
    ["code: text", "Hive", /^H-\d{3}$/],
    ["email: email", "Keeper", /^[a-z]+\.[a-z]+\d+@example\.org$/],
    ["phone: phone", "Keeper", /^\+00 555 \d{3} \d{4}$/],
    ["site: url", "Keeper", /^https:\/\/[a-z]+\.example\.org\//],
    ["address: text", "Keeper", /^\d+ \w+ (Lane|Road|Row)$/],
    ["postcode: text", "Keeper", /^\d{5}$/],
    ["notes: long text", "Hive", /^[A-Z].*\.$/],
    ["color: color", "Hive", /^#[0-9a-f]{6}$/],
    ["at: time", "Hive", /^(0[7-9]|1\d):(00|15|30|45)$/],
    ["seen: datetime", "Hive", /^202[456]-\d\d-\d\dT\d\d:\d\d:00Z$/],
  ])("of %s in %s look like the real thing", (definition, entity, pattern) => {
    for (const value of valuesOf(definition, entity)) expect(String(value)).toMatch(pattern);
  });

  it.each([
    ["x: integer 3..5", 3, 5, 0],
    ["x: decimal 0.5..0.75, places 2", 0.5, 0.75, 2],
    ["price: money", 5, 250, 2],
    ["share: percent", 0, 100, 2],
    ["elevation: integer", 50, 1500, 0],
    ["x: integer ..-5", -5 - 200, -5, 0],
    ["x: decimal 1000.., places 1", 1000, 1100, 1],
  ])("of %s stay within their bounds and places", (definition, low, high, places) => {
    for (const value of valuesOf(definition).map(Number)) {
      expect(value).toBeGreaterThanOrEqual(low);
      expect(value).toBeLessThanOrEqual(high);
      expect(Number(value.toFixed(places))).toBe(value);
    }
  });

  it.each([
    ["x: date", "2024-05-03", "2026-05-03"],
    ["x: date ..today", "2024-05-03", "2026-05-03"],
    ["x: date today..", "2026-05-03", "2026-12-31"],
    ["x: date 2030-01-01..2030-01-05", "2030-01-01", "2030-01-05"],
    ["x: date ..1999-12-31", "1998-01-01", "1999-12-31"],
  ])("of %s are days that it takes", (definition, low, high) => {
    for (const value of valuesOf(definition).map(String)) {
      expect(value >= low && value <= high, value).toBe(true);
    }
  });

  it("of short texts fit, whatever they would rather say", () => {
    for (const value of valuesOf("name: text 2..4", "Apiary").map(String))
      expect([...value].length).toBeLessThanOrEqual(4);
    for (const value of valuesOf("name: text 40..60", "Apiary").map(String))
      expect([...value].length).toBeGreaterThanOrEqual(40);
  });

  it("come from a stream that depends on its key alone, and is spread evenly", () => {
    const draw = (...key: (string | number)[]) =>
      Array.from(
        { length: 2000 },
        (
          (random) => () =>
            random.next()
        )(randomFor(...key)),
      );
    expect(draw("a", 1)).toEqual(draw("a", 1));
    expect(draw("a", 1)).not.toEqual(draw("a", 2));
    const sorted = draw("spread").sort((a, b) => a - b);
    for (const part of [0.1, 0.5, 0.9])
      expect(Math.abs((sorted[Math.floor(part * 2000)] ?? 0) - part)).toBeLessThan(0.04);
  });
});
