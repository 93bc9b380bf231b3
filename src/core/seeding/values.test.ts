import { describe, expect, it } from "vitest";
import { readModel } from "../model/read.ts";
import { Draw, Shuffle } from "./random.ts";
import { Sampling } from "./sampling.ts";
import type { Value } from "./value.ts";

/** Values of the first field of an entity. */
function valuesOf(
  definition: string,
  entityName = "Hive",
  { count = 40, language = "en" } = {},
): Value[] {
  const { model, diagnostics } = readModel(
    `levadura: 1\napp: {language: ${language}}\nentities:\n  ${entityName}:\n    fields:\n      ${definition}\n`,
  );
  if (!model) throw new Error(JSON.stringify(diagnostics));
  const sampling = new Sampling(model, {
    seed: 7,
    today: "2026-05-03",
    now: "2026-05-03T07:00:00Z",
    counts: new Map([[entityName, count]]),
    present: new Map(),
  });
  const [sample] = sampling.entities();
  return [...(sample?.rows() ?? [])].flatMap((row) => {
    const value = row[sample?.columns[0] ?? ""] ?? null;
    return value === null ? [] : [value];
  });
}

describe("sample values", () => {
  it.each([
    ["name: text", "Keeper", /^\p{Lu}\p{Ll}+ \p{Lu}\p{Ll}+$/u],
    ["name: text", "Apiary", /^[A-Z][a-z]+ [A-Z][a-z]+$/],
    ["name: text", "Tool", /^Tool \d+$/],
    ["checked_by: text", "Visit", /^\p{Lu}\p{Ll}+ \p{Lu}\p{Ll}+$/u],
    ["owner: text", "Tool", /^\p{Lu}\p{Ll}+ \p{Lu}\p{Ll}+$/u],
    ["first_name: text", "Member", /^[A-Z][a-z]+$/],
    ["town: text", "Apiary", /^[A-Z][a-z]+$/],
    ["code: text, placeholder B-07", "Hive", /^B-\d\d$/],
    ["code: text, hint Painted on the front as Q-001", "Queen", /^Q-\d{3}$/],
    ["code: text", "Hive", /^H-\d{3}$/],
    ["email: email", "Keeper", /^[a-z]+\.[a-z]+@example\.org$/],
    ["phone: phone", "Keeper", /^\+00 555 \d{3} \d{4}$/],
    ["site: url", "Keeper", /^https:\/\/www\.example\.org\/keepers\/\d+$/],
    ["address: text", "Keeper", /^\d+ [A-Z]\w+ [A-Z]\w+ (Lane|Road|Row|Street)$/],
    ["postcode: text", "Keeper", /^\d{5}$/],
    ["notes: long text", "Hive", /^[A-Z].*\.$/],
    ["color: color", "Hive", /^#[0-9a-f]{6}$/],
    ["colour: text", "Hive", /^[a-z]+$/],
    ["at: time", "Hive", /^(0[7-9]|1\d):(00|15|30|45)$/],
    ["seen: datetime", "Hive", /^202[456]-\d\d-\d\dT\d\d:\d\d:00Z$/],
    ["reason: text", "Hive", /^[A-Z][\w ]+$/],
  ])("of %s in %s look like the real thing", (definition, entity, pattern) => {
    const values = valuesOf(definition, entity);
    expect(values.length).toBeGreaterThan(10);
    for (const value of values) expect(String(value)).toMatch(pattern);
  });

  it.each([
    ["nombre: text", "Apicultora", /^\p{Lu}\p{Ll}+ \p{Lu}\p{Ll}+ \p{Lu}\p{Ll}+$/u],
    ["nombre: text", "Colmenar", /^(\p{Lu}\p{Ll}+) (de|del|de la|de los) \p{Lu}\p{Ll}+$/u],
    ["direccion: text", "Socio", /^(Calle|Camino|Paseo|Travesía) .*, \d+$/],
    ["observaciones: text", "Colmena", /^\p{Lu}.*\.$/u],
    ["correo: email", "Socia", /^[a-z]+\.[a-z]+@example\.org$/],
  ])("of %s in %s are Spanish where the application is", (definition, entity, pattern) => {
    for (const value of valuesOf(definition, entity, { language: "es-MX" }))
      expect(String(value)).toMatch(pattern);
  });

  it.each([
    ["x: integer 3..5", 3, 5, 0],
    ["x: decimal 0.5..0.75, places 2", 0.5, 0.75, 2],
    ["price: money", 5, 250, 2],
    ["share: percent", 0, 100, 2],
    ["elevation: integer", 50, 1500, 0],
    ["elevation: integer 0..300", 50, 300, 0],
    ["x: integer ..-5", -105, -5, 0],
    ["x: decimal 1000.., places 1", 1000, 1100, 1],
    ["x: decimal 0..99999999999.9999, places 4", 0, 99999999999.9999, 4],
    ["built_year: integer", 2016, 2026, 0],
  ])("of %s stay within their bounds and places", (definition, low, high, places) => {
    for (const value of valuesOf(definition).map(Number)) {
      expect(value).toBeGreaterThanOrEqual(low);
      expect(value).toBeLessThanOrEqual(high);
      expect(Number(value.toFixed(places))).toBe(value);
    }
  });

  it("of measures gather round the middle, and prices end as prices do", () => {
    const measures = valuesOf("x: decimal 0..100, places 1", "Hive", { count: 2000 }).map(Number);
    const share = (low: number, high: number) =>
      measures.filter((each) => each >= low && each < high).length / measures.length;
    expect(share(25, 75)).toBeGreaterThan(0.75);
    expect(share(0, 10) + share(90, 101)).toBeLessThan(0.05);
    const cents = valuesOf("price: money 1..15", "Hive", { count: 400 }).map((price) =>
      Math.round((Number(price) % 1) * 100),
    );
    expect(cents.filter((each) => [0, 50, 80, 90].includes(each)).length).toBe(cents.length);
  });

  it.each([
    ["x: date", "2024-05-03", "2026-05-03"],
    ["x: date ..today", "2024-05-03", "2026-05-03"],
    ["x: date today..", "2026-05-03", "2027-05-03"],
    ["x: date 2030-01-01..2030-01-05", "2030-01-01", "2030-01-05"],
    ["x: date ..1999-12-31", "1997-12-31", "1999-12-31"],
    ["due: date", "2026-05-03", "2026-08-01"],
    ["installed: date", "2023-05-04", "2026-05-03"],
  ])("of %s are days that it takes", (definition, low, high) => {
    for (const value of valuesOf(definition).map(String)) {
      expect(value >= low && value <= high, value).toBe(true);
    }
  });

  it("of persons' birthdays make them 18 to 80 years old", () => {
    for (const born of valuesOf("born: date", "Keeper").map(String))
      expect(born >= "1946-05-03" && born <= "2008-05-10", born).toBe(true);
  });

  it.each([
    ["name: text 2..4", 2, 4],
    ["name: text 40..60", 40, 60],
    ["notes: long text ..12", 1, 12],
    ["x: text 1..1", 1, 1],
    ["name: text 2..4, unique", 2, 4],
    ["name: text 30..31, unique", 30, 31],
    ["x: text ..3, unique", 1, 3],
    ["x: text 2..2, required, unique", 2, 2],
  ])("of %s fit, whatever they would rather say", (definition, least, most) => {
    const values = valuesOf(definition, "Apiary", { count: 700 }).map(String);
    for (const value of values) {
      expect([...value].length).toBeGreaterThanOrEqual(least);
      expect([...value].length).toBeLessThanOrEqual(most);
      expect(value).toBe(value.trim());
    }
    if (definition.includes("unique")) expect(new Set(values).size).toBe(values.length);
  });

  it("of choices come as often as they would: the default most, what says that nothing fits seldom", () => {
    const values = valuesOf("x: choice weak | active | retired | other, default active", "Hive", {
      count: 3000,
    });
    const share = (choice: string) =>
      values.filter((value) => value === choice).length / values.length;
    expect(share("active")).toBeGreaterThan(0.5);
    expect(share("weak")).toBeGreaterThan(share("retired"));
    expect(share("other")).toBeLessThan(0.08);
    expect(share("other")).toBeGreaterThan(0.02);
  });

  it.each([
    "name: text, required, unique",
    "email: email, required, unique",
    "code: text ..10, required, unique",
    "phone: phone, required, unique",
    "x: integer, required, unique",
    "x: date, required, unique",
    "x: datetime, required, unique",
    "x: color, required, unique",
    "town: text, required, unique",
    "notes: text, required, unique",
    "x: text, required, unique",
  ])("of %s are all different, of 20,000 too", (definition) => {
    const values = valuesOf(definition, "Keeper", { count: 20_000 });
    expect(new Set(values.map((value) => String(value).toLowerCase())).size).toBe(20_000);
  });
});

describe("random numbers", () => {
  it("depend on their key, row and turn alone, and are spread evenly", () => {
    const draw = new Draw("spread");
    const first = (row: number, turn = 0) => draw.at(row, turn).next();
    const numbers = Array.from({ length: 4000 }, (_, row) => first(row));
    expect(numbers).toEqual(
      Array.from({ length: 4000 }, (_, row) => new Draw("spread").at(row).next()),
    );
    expect(first(3)).not.toBe(first(3, 1));
    expect(new Draw("other").at(3).next()).not.toBe(first(3));
    const sorted = numbers.sort((a, b) => a - b);
    for (const part of [0.1, 0.5, 0.9])
      expect(Math.abs((sorted[Math.floor(part * 4000)] ?? 0) - part)).toBeLessThan(0.03);
  });

  it.each([1, 2, 3, 15, 16, 17, 1000, 65_537])("in an order of %i come once each", (size) => {
    const shuffle = new Shuffle(size, "order", size);
    const places = Array.from({ length: size }, (_, place) => shuffle.at(place));
    expect(new Set(places).size).toBe(size);
    expect(Math.max(...places)).toBe(size - 1);
    if (size > 100)
      expect(places.slice(0, 20)).not.toEqual(places.slice(0, 20).sort((a, b) => a - b));
  });
});
