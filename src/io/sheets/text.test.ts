import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import Papa from "papaparse";
import { afterAll, describe, expect, it } from "vitest";
import { runs } from "../../../test/support/runs.ts";
import { findTextFormat, readTextRows } from "./text.ts";

const folder = mkdtempSync(join(tmpdir(), "levadura-text-"));
const path = join(folder, "sheet.csv");
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** What is read of a file with this content, and how it was found to be written. */
function read(content: string | Buffer, format?: ReturnType<typeof findTextFormat>) {
  writeFileSync(path, content);
  const found = format ?? findTextFormat(path, "sheet.csv");
  const rows: (readonly unknown[])[] = [];
  let next = 1;
  for (const step of readTextRows(path, "sheet.csv", found)) {
    expect(step.first).toBe(next);
    next += step.rows.length;
    for (const row of step.rows) rows.push(row);
  }
  return { rows, ...found };
}

describe("text files", () => {
  const rows = [
    ["Code", "Apiary", "Weight"],
    ["B-1", "Linden; the old one", "1,5"],
    ["B-2", 'the "new" one', "2"],
    ["B-3", "two\nlines", "3"],
  ];

  it.each([",", ";", "\t", "|"])(
    "are read with cells between %j, whatever stands in them",
    (delimiter) => {
      for (const newline of ["\n", "\r\n"]) {
        const found = read(Papa.unparse(rows, { delimiter, newline }));
        expect(found.delimiter).toBe(delimiter);
        expect(found.rows).toEqual(rows);
      }
    },
  );

  it.each<[string, Buffer, string]>([
    ["a mark", Buffer.from("\uFEFFCode;Año\nB-1;x\n"), "utf-8"],
    ["no mark", Buffer.from("Code;Año\nB-1;x\n"), "utf-8"],
    ["an older encoding", Buffer.from("Code;A\xf1o\nB-1;x\n", "latin1"), "windows-1252"],
    ["two bytes a character", Buffer.from("\uFEFFCode;Año\nB-1;x\n", "utf16le"), "utf-16le"],
    ["two bytes without a mark", Buffer.from("Code;Ano\nB-1;x\n", "utf16le"), "utf-16le"],
    [
      "the bytes the other way",
      Buffer.from("\uFEFFCode;Año\nB-1;x\n", "utf16le").swap16(),
      "utf-16be",
    ],
  ])("with %s are read", (what, content, encoding) => {
    const found = read(content);
    expect(found.encoding).toBe(encoding);
    expect(found.rows[0]).toEqual(["Code", what.includes("without") ? "Ano" : "Año"]);
  });

  it("longer than a piece are read as if they were one: characters, line ends and quotes across its end", () => {
    // 1,048,576 bytes are read at a time; the lines before shift what falls on that place.
    for (let shift = 0; shift < 12; shift++) {
      const filler = `${"x".repeat(97)}\r\n`.repeat(Math.floor((1_048_576 - 60) / 99));
      const before = `${"y".repeat(60 - shift)}\r\n`;
      const tail = 'ñandú,"a ""quoted""\r\ncell",日本\r\nlast,1,2\r\n';
      const { rows: found } = read(`${filler}${before}${tail}`, {
        delimiter: ",",
        quote: '"',
        encoding: "utf-8",
      });
      expect(found.slice(-2)).toEqual([
        ["ñandú", 'a "quoted"\ncell', "日本"],
        ["last", "1", "2"],
      ]);
    }
  });

  it("of any rows are read back", () => {
    const cell = fc
      .string({ unit: "grapheme", maxLength: 12 })
      .map((text) => text.replace(/[\r\0\uFEFF]/g, ""));
    const table = fc.array(fc.array(cell, { minLength: 2, maxLength: 4 }), {
      minLength: 1,
      maxLength: 8,
    });
    fc.assert(
      fc.property(table, fc.constantFrom(",", ";", "\t"), (made, delimiter) => {
        const text = Papa.unparse(made, { delimiter, newline: "\n" });
        const format = { delimiter, quote: '"', encoding: "utf-8" } as const;
        expect(read(`${text}\n`, format).rows).toEqual(made);
      }),
      runs(300),
    );
  });

  it("with a quote that is never closed say in which row", () => {
    expect(() => read(`a,b\n${"1,2\n".repeat(300_000)}3,"open\n4,5\n`)).toThrow(
      /row 300002: a quote is opened and never closed/,
    );
    expect(() =>
      read(`a,"b\n${"1,2\n".repeat(5_000_000)}`, { delimiter: ",", quote: '"', encoding: "utf-8" }),
    ).toThrow(/row 1: a quote/);
  });

  it("with quotes where none belong are read, and told", () => {
    const stray: number[] = [];
    writeFileSync(path, 'a,b\n"x"y","z"\n3,4\n');
    const all = [
      ...readTextRows(path, "sheet.csv", { delimiter: ",", quote: '"', encoding: "utf-8" }, (row) =>
        stray.push(row),
      ),
    ];
    expect(all.flatMap(({ rows: each }) => each).length).toBe(3);
    expect(stray).toEqual([2]);
  });
});
