import { describe, expect, it } from "vitest";
import { sheetSlices } from "./sheet-slices.ts";

const row = (number: number, cells = `<c r="A${number}"><v>${number}</v></c>`) =>
  `<row r="${number}">${cells}</row>`;

function slices(rows: readonly string[], { tail = "", size = 200 } = {}) {
  const xml = `<worksheet><sheetData>${rows.join("")}</sheetData>${tail}</worksheet>`;
  return sheetSlices("sheet1.xml", Buffer.from(xml), size).map(({ first, end, pieces }) => ({
    first,
    end,
    xml: Buffer.concat(pieces).toString(),
  }));
}

/** The numbers of the rows in a sheet. */
const numbers = (xml: string) => [...xml.matchAll(/<row r="(\d+)"/g)].map(([, at]) => Number(at));

describe("a sheet cut into slices", () => {
  const twenty = Array.from({ length: 20 }, (_, at) => row(at + 1));

  it("has each row in one of them, with what is around the rows in all", () => {
    const found = slices(twenty, { tail: "<pageMargins/>" });
    expect(found.length).toBeGreaterThan(3);
    expect(found.flatMap(({ xml }) => numbers(xml))).toEqual(twenty.map((_, at) => at + 1));
    for (const [at, { first, end, xml }] of found.entries()) {
      expect(xml).toMatch(/^<worksheet><sheetData><row.*<\/row><\/sheetData><pageMargins\/>/);
      expect(numbers(xml)[0]).toBe(first);
      expect(end).toBe(found[at + 1]?.first);
    }
  });

  it("counts blank rows to the slice before them", () => {
    const found = slices([...twenty.slice(0, 5), ...[31, 32, 33, 34, 35].map((at) => row(at))]);
    expect(found.map(({ first, end }) => [first, end])).toEqual([
      [1, 5],
      [5, 33],
      [33, undefined],
    ]);
  });

  it("is not cut within cells that are one", () => {
    const merges = '<mergeCells><mergeCell ref="A2:A9"/><mergeCell ref="B8:C17"/></mergeCells>';
    expect(slices(twenty, { tail: merges }).map(({ first }) => first)).toEqual([1, 18, 19, 20]);
  });

  it("has the formulas that its rows refer to", () => {
    const base = '<c r="B2" s="1"><f t="shared" ref="B2:B20" si="0">A2*2 &amp; "é"</f><v>4</v></c>';
    const rows = [
      row(1),
      row(2, base),
      ...Array.from({ length: 18 }, (_, at) => row(at + 3, '<c><f t="shared" si="0"/></c>')),
    ];
    const [one, ...others] = slices(rows);
    expect(one?.xml).toContain(base);
    expect(others.length).toBeGreaterThan(3);
    for (const { xml, first } of others) {
      expect(xml).toContain(
        '<sheetData><row r="2"><c r="B2"><f t="shared" ref="B2:B20" si="0">A2*2 &amp; "é"</f></c></row>',
      );
      expect(numbers(xml).slice(0, 2)).toEqual([2, first]);
    }
  });

  it("has no formulas that only rows of other slices refer to", () => {
    const base = (ref: string) => `<c r="B2"><f t="shared" ref="${ref}" si="0">A2</f><v>4</v></c>`;
    for (const [ref, last] of [
      ["B2", 0],
      ["B2:B9", 9],
    ] as const) {
      const rows = twenty.map((each, at) => (at === 1 ? row(2, base(ref)) : each));
      const [, ...others] = slices(rows);
      const having = others.filter(({ xml }) => xml.includes("<f "));
      expect(having.length).toBe(others.filter(({ first }) => first <= last).length);
    }
  });

  it.each([
    ["is small", twenty, 5000],
    ["has rows without numbers", twenty.map((each) => each.replace(/ r="\d+"/, "")), 200],
    ["has rows out of order", [...twenty].reverse(), 200],
    ["has a row twice", [...twenty, row(20)], 200],
    [
      "has names of its own for its elements",
      twenty.map((each) => each.replaceAll("row", "x:row")),
      200,
    ],
  ])("stays whole where it %s", (_, rows, size) => {
    expect(slices(rows, { size }).map(({ first, end }) => [first, end])).toEqual([[1, undefined]]);
  });
});
