import { afterAll, describe, expect, it } from "vitest";
import type { Cell } from "../../core/tabular/cells.ts";
import { KeptRows } from "./kept-rows.ts";
import { TemporaryFolder } from "./temporary.ts";
import type { ParsedStep } from "./text.ts";

const folder = new TemporaryFolder();
afterAll(() => folder.remove());

/** A few kinds of cells, of which most come again and some never do. */
function cellFor(row: number, column: number): Cell {
  const kinds: Cell[] = [
    `Hive ${row % 7}`,
    `only ${row} ${column}`,
    row % 5,
    null,
    { stamp: `2026-05-0${1 + (row % 9)}` },
    { number: row % 3, mark: "kg" },
    '{"stamp":"2026-05-01"}',
    "",
    row % 2 === 0,
    "x".repeat(100),
    "\ud800 half of a letter, \u0000 and\nlines",
  ];
  return kinds[(row + column) % kinds.length] ?? null;
}

function* steps(rows: number, width: (row: number) => number): Generator<ParsedStep> {
  for (let first = 1; first <= rows; first += 100) {
    const count = Math.min(100, rows - first + 1);
    const made = Array.from({ length: count }, (_, at) =>
      Array.from({ length: width(first + at) }, (_each, column) => cellFor(first + at, column)),
    );
    yield { first, rows: made, share: Math.min(1, (first + count) / rows) };
  }
}

const shapes = {
  "as wide as each other": () => 8,
  "of several lengths": (row: number) => row % 12,
  "without cells": () => 0,
  "wider than numbers go": (row: number) => (row === 150 ? 700 : 3),
};

describe("rows that are kept", () => {
  for (const [name, width] of Object.entries(shapes)) {
    it(`are the same when they are read again: ${name}`, () => {
      const plain = [...steps(1050, width)];
      let parsed = 0;
      const kept = new KeptRows(folder, function* () {
        parsed++;
        yield* steps(1050, width);
      });
      // Whoever reads the beginning only leaves the rest.
      for (const step of kept.read()) {
        if (step.first > 300) break;
      }
      for (let time = 0; time < 2; time++) {
        const read: ParsedStep[] = [];
        const seen = new Map<string, Cell>();
        for (const { first, rows, share, numbers } of kept.read()) {
          read.push({ first, rows: rows.map((row) => [...row]), share });
          for (const [at, row] of rows.entries()) {
            for (const [column, cell] of row.entries()) {
              const number = numbers?.of(at, column) ?? -1;
              if (number < 0) continue;
              const known = seen.get(`${column} ${number}`);
              if (known !== undefined) expect(cell).toEqual(known);
              seen.set(`${column} ${number}`, cell);
            }
          }
        }
        expect(read).toEqual(plain);
      }
      expect(parsed).toBe(2);
    });
  }

  it("give equal cells of a column one number, and others another", () => {
    const kept = new KeptRows(folder, () => steps(500, () => 11));
    const cells = new Map<number, Set<string>>();
    for (const { rows, numbers } of kept.read()) {
      for (const [at, row] of rows.entries()) {
        const number = numbers?.of(at, 2) ?? -1;
        if (number < 0) continue;
        cells.set(number, (cells.get(number) ?? new Set()).add(JSON.stringify(row[2])));
      }
    }
    expect([...cells.values()].every(({ size }) => size === 1)).toBe(true);
    const all = [...cells.values()].flatMap((each) => [...each]);
    expect(new Set(all).size).toBe(all.length);
    // A text that looks like what a workbook knows is a text.
    expect(all).toContain('{"stamp":"2026-05-01"}');
    expect(all).toContain(JSON.stringify('{"stamp":"2026-05-01"}'));
  });

  it("tell of quotes within cells every time", () => {
    const kept = new KeptRows(folder, function* (onStray) {
      for (const step of steps(300, () => 4)) {
        onStray(step.first);
        yield step;
      }
    });
    for (let time = 0; time < 3; time++) {
      const stray: number[] = [];
      for (const _ of kept.read((row) => stray.push(row)));
      expect(stray).toEqual([1, 101, 201]);
    }
  });
});
