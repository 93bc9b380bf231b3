import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import fc from "fast-check";
import Papa from "papaparse";
import { expect, it } from "vitest";
import { rowsOf } from "../support/database.ts";
import { levadura, temporaryFolder } from "../support/program.ts";
import { writeWorkbook } from "../support/workbooks.ts";

/** Columns as they stand in workbooks: a title, and what its cells are made of. */
const kinds = {
  code: fc.nat(9999).map((number) => `K-${number}`),
  number: fc.integer({ min: -500, max: 5000 }).map(String),
  decimal: fc
    .integer({ min: 0, max: 99_999 })
    .map((number) => `${Math.floor(number / 100)},${String(number % 100).padStart(2, "0")}`),
  weight: fc.nat(400).map((number) => `${number / 10} kg`),
  price: fc.nat(4000).map((number) => `€ ${(number / 100).toFixed(2)}`),
  day: fc
    .integer({ min: 0, max: 4000 })
    .map((days) =>
      new Date(Date.UTC(2015, 0, 1) + days * 86_400_000)
        .toISOString()
        .slice(0, 10)
        .split("-")
        .reverse()
        .join("."),
    ),
  seen: fc.constantFrom("yes", "No", "y"),
  state: fc.constantFrom("active", "Weak ", "weak", "retired"),
  mail: fc.nat(50).map((number) => `keeper${number}@example.org`),
  notes: fc.constantFrom("", "calm", "two\nlines", "needs a box; soon", '"quoted", and more'),
  apiary: fc.constantFrom("Linden", "Mill", "quarry edge", "Quarry Edge"),
} as const;

const kind = fc.constantFrom(...(Object.keys(kinds) as (keyof typeof kinds)[]));

/** A cell of a kind; now and then blank, or something that doesn't belong there. */
const cellOf = (name: keyof typeof kinds) =>
  fc.oneof(
    { weight: 30, arbitrary: kinds[name] },
    { weight: 2, arbitrary: fc.constantFrom("", "-", "n/a", "?") },
    { weight: 1, arbitrary: fc.string({ unit: "grapheme", maxLength: 10 }) },
  );

const sheet = fc
  .tuple(
    fc.uniqueArray(kind, { minLength: 2, maxLength: 6 }),
    fc.integer({ min: 1, max: 40 }),
    fc.boolean(),
  )
  .chain(([columns, count, titled]) =>
    fc.record({
      columns: fc.constant(columns),
      titled: fc.constant(titled),
      rows: fc.array(fc.tuple(...columns.map(cellOf)), { minLength: count, maxLength: count }),
    }),
  );

it("random sheets become models that are right, and rows that are kept or set aside, and load", async () => {
  const samples = fc.sample(fc.tuple(sheet, sheet, fc.boolean()), { numRuns: 14, seed: 7 });
  for (const [hives, visits, asWorkbook] of samples) {
    const folder = temporaryFolder();
    const tables = { Hives: hives, Visits: visits };
    const texts = Object.entries(tables).map(([name, { columns, titled, rows }]) => {
      const title = titled ? [[`Our ${name}`], []] : [];
      const whole: string[][] = [...title, [...columns], ...rows.map((row) => [...row])];
      return [name, whole] as const;
    });
    const files = asWorkbook ? ["bees.xlsx"] : texts.map(([name]) => `${name}.csv`);
    if (asWorkbook) {
      writeWorkbook(
        join(folder, "bees.xlsx"),
        Object.fromEntries(texts.map(([name, rows]) => [name, { rows }])),
      );
    } else {
      for (const [name, rows] of texts)
        writeFileSync(join(folder, `${name}.csv`), Papa.unparse(rows));
    }
    const imported = await levadura(["import", ...files, "--yes", "--json"], folder);
    if (imported.status !== 0) {
      // Sheets may come out blank.
      expect(imported.out + imported.err).toContain("no rows below a header");
      continue;
    }
    const said = JSON.parse(imported.out);
    for (const { rows, kept, setAside } of said.sheets) expect(rows).toBe(kept + setAside);
    for (const args of [["check"], ["prepare"], ["migrate"], ["import", "--yes"]]) {
      const run = await levadura(args, folder);
      expect(
        run.status,
        `${args[0]}: ${run.err}\n${readFileSync(join(folder, "model.yaml"), "utf8")}`,
      ).toBe(0);
    }
    for (const { entity, kept } of said.sheets as { entity: string; kept: number }[]) {
      const table = entity.replace(/(?<=[a-z])([A-Z])/g, "_$1").toLowerCase();
      expect(
        rowsOf(join(folder, "records.db"), `select count(*) as count from "${table}"`),
      ).toEqual([{ count: kept }]);
    }
    expect(rowsOf(join(folder, "records.db"), "pragma foreign_key_check")).toEqual([]);
    expect((await levadura(["import"], folder)).out).toContain("The database has everything");
  }
});
