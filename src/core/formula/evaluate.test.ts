import { describe, expect, it } from "vitest";
import { evaluation, type Row, type Surroundings } from "../../../kit/formula/evaluate.ts";
import { functions, rowFunctions } from "../../../kit/formula/functions.ts";
import { entityNamed } from "../model/model.ts";
import { readModel } from "../model/read.ts";
import { formulaOf } from "./scope.ts";

const { model } = readModel(`levadura: 1
entities:
  Hive:
    fields:
      code: text
      note: text
      weight: decimal
      target: decimal
      price: money
      frames: integer
      first: integer
      second: integer
      installed: date
      removed: date
      seen: datetime
      area: decimal, places 4
      worked: duration
      lap: duration
  Harvest:
    fields: {hive: "one Hive, required", weight: "decimal, places 1", year: integer}
  Inspection:
    fields: {hive: "one Hive, required", date: date}
`);

const hive: Row = {
  id: 1,
  code: "B-07 Ñu",
  note: null,
  weight: 12.35,
  target: 10,
  price: 4.15,
  frames: null,
  first: 3,
  second: 7,
  installed: "2026-02-01",
  removed: null,
  seen: "2026-05-03T07:08:09Z",
  area: 0.1234,
  worked: 9000,
  lap: 80.4,
};
const tables: Readonly<Record<string, Row[]>> = {
  harvest: [
    { id: 1, hive_id: 1, weight: 20.5, year: 2025 },
    { id: 2, hive_id: 1, weight: 10.2, year: 2026 },
    { id: 3, hive_id: 1, weight: null, year: 2026 },
  ],
  inspection: [
    { id: 1, hive_id: 1, date: "2026-03-01" },
    { id: 2, hive_id: 1, date: "2026-04-01" },
  ],
};
const around: Surroundings = {
  today: "2026-05-03",
  now: "2026-05-03T09:00:00Z",
  belonging: ({ table, by }, id) => (tables[table] ?? []).filter((row) => row[by as string] === id),
};

function computed(text: string) {
  if (!model) throw new Error("a model with errors");
  const found = formulaOf(model, entityNamed(model, "Hive"), `= ${text}`);
  if ("complaint" in found) return found.complaint.message;
  return evaluation(found.calculation)(hive, around);
}

/** A value of every example on the page of formulas, and of more. */
const examples: readonly (readonly [string, number | string | boolean | null])[] = [
  ["round(weight * price, 2)", 51.25],
  ["abs(target - weight)", 2.35],
  ["min(first, second)", 3],
  ["max(frames, 0)", 0],
  ["length(code)", 7],
  ["lower(code)", "b-07 ñu"],
  ["upper(code)", "B-07 ÑU"],
  ["year(installed)", 2026],
  ["month(installed)", 2],
  ["day(installed)", 1],
  ["days(installed, today)", 91],
  ["hours(worked)", 2.5],
  ["minutes(worked)", 150],
  ["seconds(lap)", 80.4],
  ["worked + lap * 2", 9160.8],
  ["worked / lap", 111.940299],
  ["hours(worked) * price", 10.375],
  ["date(2026, 5, 3)", "2026-05-03"],
  ["date(2026, 5, 3) = today and installed < date(2026, 12, 31)", true],
  [
    "date(2026, 2, 29)",
    "this is no day: year, month and day have to be whole numbers that are written out",
  ],
  [
    "date(first, 2, 2)",
    "this is no day: year, month and day have to be whole numbers that are written out",
  ],
  ["today", "2026-05-03"],
  ["now", "2026-05-03T09:00:00Z"],
  ["count(harvests)", 3],
  ["sum(harvests.weight)", 30.7],
  ["average(harvests.weight)", 15.35],
  ["smallest(harvests.weight)", 10.2],
  ["largest(harvests.weight)", 20.5],
  ["latest(inspections.date)", "2026-04-01"],
  ["sum(harvests.weight, harvests.year = year(today))", 10.2],
  ["if(weight > 20, 'full', 'light')", "light"],
  ["0.1 + 0.2", 0.3],
  ["1.005 * 100", 100.5],
  ["round(2.5)", 3],
  ["round(-2.5)", -3],
  ["round(1.005, 2)", 1.01],
  ["1 / 3", 0.333333],
  ["-7 % 3", -1],
  ["0.3 % 0.1", 0],
  ["weight / 0", null],
  ["weight % 0", null],
  ["999999999999999 + 1", null],
  ["10000000 * 100000000", null],
  ["frames + 1", null],
  ["area * area", 0.01522756],
  ["area * area * area", "this has 12 places behind the point, and a number has 15 digits in all"],
  ["round(weight, second)", "the places to round to have to be a whole number from 0 to 6"],
  ["note = ''", true],
  ["note <> 'x'", true],
  ["note < 'x' or note > 'x'", false],
  ["note in ('x', '')", false],
  ["code = 'b-07 ñU'", true],
  ["code = 'B-07 Nu'", false],
  ["code contains 'ÑU' and code begins with 'b-'", true],
  ["note contains 'a' or code contains note", false],
  ["note is empty and code is not empty", true],
  ["not (frames > 3)", true],
  ["'Hive ' & code & note & ', ' & weight & ' kg'", "Hive B-07 Ñu, 12.35 kg"],
  ["0.0001 * 0.0001 & ''", "0.00000001"],
  ["2.50 & '' & -(0 * 1.5)", "2.50"],
  ["1234567890123456", "a number has 15 digits at most"],
  ["note & note", null],
  ["installed + 90 days", "2026-05-02"],
  ["installed - 2 weeks", "2026-01-18"],
  ["seen + 1 days", "2026-05-04T07:08:09Z"],
  ["today - installed", 91],
  ["(today - installed) * 0.5", 46],
  ["installed + 4000000 days", null],
  ["removed - installed", null],
  ["max(installed, removed)", "2026-02-01"],
  ["largest(harvests.weight, harvests.year > 2030)", null],
  ["sum(harvests.weight, harvests.year > 2030)", 0],
  ["average(harvests.weight, harvests.year > 2030)", null],
];

describe("evaluating", () => {
  it.each(examples)("%s gives %j", (text, expected) => {
    expect(computed(text)).toBe(expected);
  });

  it("has an example of every function", () => {
    const shown = new Set(examples.map(([text]) => text));
    for (const { example } of [...Object.values(functions), ...Object.values(rowFunctions)]) {
      expect(shown.has(example), example).toBe(true);
    }
  });
});
