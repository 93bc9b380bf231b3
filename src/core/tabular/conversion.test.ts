import fc from "fast-check";
import { describe, expect, it } from "vitest";
import * as kit from "../../../kit/fields/builders.ts";
import type { Field as KitField } from "../../../kit/fields/field.ts";
import { formatsFor } from "../../../kit/messages/formats.ts";
import { messagesFor } from "../../../kit/messages/messages.ts";
import { runs } from "../../../test/support/runs.ts";
import { proposed, spillInMemory } from "../../../test/support/sheets.ts";
import { readModel } from "../model/read.ts";
import { Blanks, type Cell, plainAddresses } from "./cells.ts";
import { type ConvertedRow, type SetAside, SheetConverter } from "./conversion.ts";
import { Distinct, hashOf } from "./distinct.ts";
import { KeySet } from "./keys.ts";
import { findLayout } from "./layout.ts";
import type { FieldPlan, SheetPlan } from "./plan.ts";
import { valueReader } from "./values.ts";

const context = { currency: "EUR", today: "2026-05-03" };

/** The field `x` of a model with this definition. */
function field(definition: string) {
  const text = `levadura: 1\nentities:\n  Thing:\n    fields:\n      x: ${definition}\n`;
  const { model, diagnostics } = readModel(text);
  const found = model?.entities[0]?.fields[0];
  if (!found) throw new Error(JSON.stringify(diagnostics));
  return found;
}

function read(definition: string, cell: Exclude<Cell, null>, plan: Partial<FieldPlan> = {}) {
  return valueReader(field(definition), plan, context)(cell);
}

describe("a cell", () => {
  it.each<[string, Exclude<Cell, null>, string, Partial<FieldPlan>?]>([
    ["integer", "1,234", "1234"],
    ["integer", 12, "12"],
    ["decimal, unit kg", "12.5 KG", "12.5"],
    ["decimal", "1.234,50", "1234.5", { decimals: "comma" }],
    ["decimal, places 1", 33.333333333, "33.3"],
    ["money", "€ 9.50", "9.5"],
    ["percent", { number: 12.5, mark: "%" }, "12.5"],
    ["boolean", "Sí", "yes"],
    ["date", "3.5.2026", "2026-05-03"],
    ["date", "3.5.2026", "2026-03-05", { dates: "month first" }],
    ["date", { stamp: "2026-05-03T00:00" }, "2026-05-03"],
    ["datetime", "3.5.2026 9:30", "2026-05-03T09:30"],
    ["time", { stamp: "09:30" }, "09:30"],
    ["choice weak | strong", " WEAK", "weak"],
    ["color", "#FC0", "#ffcc00"],
    ["url", "www.example.org", "https://www.example.org"],
    ["text", 7, "7"],
    ["text", "Slpoe", "Slope", { replace: { slpoe: "Slope" } }],
  ])("for %s that says %j is %s", (definition, cell, text, plan) => {
    expect(read(definition, cell, plan)).toEqual({ text });
  });

  it.each<[string, Exclude<Cell, null>, string]>([
    ["integer", "1.5", "not a whole number"],
    ["integer 0..10", "11", "more than 10"],
    ["decimal", "1.234", "more than 2 digits after the point"],
    ["decimal, unit kg", "12 g", "in g, not in kg"],
    ["money", "12 USD", "in USD"],
    ["boolean", "maybe", "neither yes nor no"],
    ["date", "30.2.2026", "not a date"],
    ["date ..today", "2026-05-04", "after today"],
    ["date", "2026-05-03 09:30", "a date with a time"],
    ["choice a | b", "c", "not among the choices"],
    ["text ..3", "four", "4 characters, where 3 fit"],
    ["text", "a\nb", "several lines, where one fits"],
    ["email", "ana", "not an email address"],
    ["text", "a\0b", "holds a character that can't be kept (NUL)"],
    ["text", { fault: "#REF!" }, "in error: #REF!"],
  ])("for %s that says %j is refused", (definition, cell, reason) => {
    expect(read(definition, cell)).toEqual({ reason });
  });

  it("that is taken is taken by the application's forms too", () => {
    const forms: [string, KitField][] = [
      ["integer", kit.integer({ label: "X" })],
      ["decimal, places 3", kit.decimal({ label: "X", places: 3 })],
      ["date", kit.date({ label: "X" })],
      ["time", kit.time({ label: "X" })],
      ["email", kit.email({ label: "X" })],
      ["url", kit.url({ label: "X" })],
      ["phone", kit.phone({ label: "X" })],
      ["color", kit.color({ label: "X" })],
      ["text ..20", kit.text({ label: "X", max: 20 })],
    ];
    const cell = fc.oneof(
      fc.string({ maxLength: 24 }),
      fc.double({ noNaN: true }),
      fc.stringMatching(/^[+-]?\d{1,18}([.,]\d{1,4})?( ?(kg|%|€))?$/),
      fc.stringMatching(/^\d{1,4}[-./:]\d{1,2}([-./:]\d{1,4})?$/),
      fc.emailAddress(),
      fc.webUrl(),
      fc.stringMatching(/^[+(]?\d[\d ()./-]{0,20}$/),
    );
    fc.assert(
      fc.property(cell, (value) => {
        for (const [definition, form] of forms) {
          const found = read(definition, value);
          if ("text" in found && found.text !== "")
            expect(form.read([found.text], english), `${definition}: ${found.text}`).toHaveProperty(
              "value",
            );
        }
      }),
      runs(2000),
    );
  });
});

/** What a form has to know of somebody who types. */
const messages = messagesFor("en");
const english = {
  messages,
  format: formatsFor("en", "EUR", "UTC", messages),
  timezone: "UTC",
  today: "2026-05-03",
};

/** Converts rows of one sheet by what is proposed for them, some lines of the plan changed. */
function convert(rows: Cell[][]) {
  const { plan, planned } = proposed({ Hives: rows });
  const sheet = plan.sheets[0] as SheetPlan;
  const entity = planned.reading.model?.entities.find(({ name }) => name === sheet.entity);
  const layout = findLayout(rows);
  if (!entity || !layout) throw new Error(JSON.stringify(planned.errors));
  const kept: ConvertedRow[] = [];
  const aside: SetAside[] = [];
  const columns = new Map(
    sheet.fields.map(({ name, column }) => [
      name,
      layout.columns.findIndex(({ header }) => header === column),
    ]),
  );
  const converter = new SheetConverter(
    {
      plan: sheet,
      layout,
      file: sheet.file,
      sheet: sheet.sheet,
      addresses: plainAddresses,
      columns,
      left: new Set(),
      isSecondReading: false,
    },
    entity,
    {
      ...context,
      timezone: "UTC",
      blanks: new Blanks(plan.blank),
      entities: new Map([[entity.name, entity]]),
      keys: new Map(),
      splitKeys: new Map(),
      aliases: new Map(),
      outputs: new Map([[entity.name, sheet.fields.map(({ name }) => name)]]),
    },
    { keep: (_entity, row) => kept.push(row), setAside: (what) => aside.push(what) },
    new Map(),
  );
  converter.take({ first: 1, rows });
  converter.finish();
  return { kept, aside, counts: converter.counts };
}

describe("a sheet", () => {
  it("loses no cell: each is kept, or set aside with its address", () => {
    const cell = fc.oneof(
      fc.constantFrom("A", "b ", "12", "1,5", "x", null, "", "n/a", "3.5.2026"),
      fc.string({ maxLength: 12 }),
      fc.integer(),
    );
    const rows = fc.array(fc.array(cell, { minLength: 3, maxLength: 4 }), {
      minLength: 1,
      maxLength: 14,
    });
    fc.assert(
      fc.property(rows, (data) => {
        const { kept, aside, counts } = convert([
          ["Code", "Weight", "Seen"],
          ["B-01", "3", "yes"],
          ...data,
        ]);
        expect(counts.rows).toBe(counts.kept + counts.setAside);
        expect(kept.length).toBe(counts.kept);
        expect(aside.length).toBe(counts.setAside + counts.cellsSetAside);
      }),
    );
  });

  it("says of a row that comes again which it repeats", () => {
    const hives: Cell[][] = Array.from({ length: 80 }, (_, at) => [`B-${at}`, at]);
    const { kept, aside } = convert([["Code", "Weight"], ...hives, ["B-3", 3]]);
    expect(kept.length).toBe(80);
    expect(aside.map(({ cell, reason }) => [cell, reason])).toEqual([
      ["row 82", "the same as row 5"],
    ]);
  });

  it("loses no row to a guess that a column is unique", () => {
    const hives: Cell[][] = Array.from({ length: 80 }, (_, at) => [`B-${at}`, at]);
    const rows = [["Code", "Weight"], ...hives, ["b-4", 99]];
    expect(convert(rows)).toMatchObject({ kept: { length: 81 }, aside: [] });
    const notes = proposed({ Hives: rows }).notes.sheets[0]?.fields.get("code");
    expect(notes?.guess).toBe('would be unique, but "B-4" is in A6 and A82');
  });
});

describe("evidence that grows with the rows", () => {
  it("tells the same of many values as of few", () => {
    const distinct = new Distinct(spillInMemory);
    const other = new Distinct(spillInMemory);
    for (let row = 1; row <= 50_000; row++) {
      const text = `K-${row === 40_000 ? 7 : row}`;
      const spelling = distinct.meet(text);
      if (spelling) distinct.count(spelling, row);
      else distinct.countSpilled(hashOf(text.toLowerCase()), row);
      if (row <= 100) other.count(other.meet(`k-${row}`) as NonNullable<typeof spelling>, row);
    }
    expect([distinct.overflowed, distinct.size, distinct.repeated]).toEqual([true, 49_999, 1]);
    expect(distinct.repeats()).toEqual([{ text: undefined, rows: [7, 40_000] }]);
    expect([distinct.sharedWith(other), other.sharedWith(distinct)]).toEqual([100, 100]);
  });

  it("keeps keys past the limit of spellings", () => {
    const keys = new KeySet(10);
    for (let row = 0; row < 200_000; row += 1)
      expect(keys.add(`Key ${row}`, row, 0)).toBeUndefined();
    expect(keys.size).toBe(200_000);
    expect([keys.find("KEY  5")?.text, keys.find("key 150000")?.row, keys.find("key x")]).toEqual([
      "Key 5",
      150_000,
      undefined,
    ]);
    expect(keys.add("key 199999", 1, 0)?.row).toBe(199_999);
  });
});
