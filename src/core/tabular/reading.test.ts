import fc from "fast-check";
import { describe, expect, it } from "vitest";
import {
  address,
  Blanks,
  blankSpellings,
  type Cell,
  columnLetters,
  columnNumber,
} from "./cells.ts";
import { findDate, findTime, isDay } from "./dates.ts";
import { currencyOf, findNumber } from "./numbers.ts";
import { typeOfCell } from "./type-detection.ts";

describe("numbers in cells", () => {
  it.each([
    ["12", "12", "12", ""],
    ["-3.50", "-3.5", undefined, ""],
    ["1,5", undefined, "1.5", ""],
    ["1.234,5", undefined, "1234.5", ""],
    ["1,234.5", "1234.5", undefined, ""],
    ["1.234", "1.234", "1234", ""],
    ["12 345,60", undefined, "12345.6", ""],
    ["1'234.50", "1234.5", undefined, ""],
    ["12 kg", "12", "12", "kg"],
    ["14,5 °C", undefined, "14.5", "°C"],
    ["3.5%", "3.5", undefined, "%"],
    ["€ 12,50", undefined, "12.5", "€"],
    ["12.50 EUR", "12.5", undefined, "EUR"],
    ["-€5", "-5", "-5", "€"],
    ["(3.50)", "-3.5", undefined, ""],
    ["8 m²", "8", "8", "m²"],
    [".5", "0.5", undefined, ""],
    ["0", "0", "0", ""],
    ["45-", "-45", "-45", ""],
    ["45.00 DR", "-45", undefined, ""],
    ["1.250,50 CR", undefined, "1250.5", ""],
    ["R$ 12,50", undefined, "12.5", "R$"],
  ])("%s is found", (text, point, comma, mark) => {
    expect(findNumber(text)).toMatchObject({ point, comma, mark });
  });

  it.each([
    "",
    "abc",
    "Hive 12",
    "12 or 13",
    "1.2.3",
    "1,23,4",
    "12-13",
    "(3",
    "+",
    "1e5x9",
    "B-07",
  ])("%s is no number", (text) => {
    const found = findNumber(text);
    expect(found?.point ?? found?.comma).toBeUndefined();
  });

  it("of any value are read back from either way of writing them", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -99_999_999, max: 99_999_999 }),
        fc.integer({ min: 1, max: 3 }),
        (units, places) => {
          const value = units / 10 ** places;
          const options = { minimumFractionDigits: places } as const;
          const point = new Intl.NumberFormat("en-US", options).format(value);
          const comma = new Intl.NumberFormat("de-DE", options).format(value);
          expect(Number(findNumber(point)?.point)).toBe(value);
          expect(Number(findNumber(comma)?.comma)).toBe(value);
        },
      ),
    );
  });

  it("knows currencies by sign and by code", () => {
    expect(["€", "usd", "zł", "CHF", "kg", "constructor"].map(currencyOf)).toEqual([
      "EUR",
      "USD",
      "PLN",
      "CHF",
      undefined,
      undefined,
    ]);
  });
});

describe("dates in cells", () => {
  it.each([
    ["2026-05-03", "2026-05-03", "2026-05-03"],
    ["2026/5/3", "2026-05-03", "2026-05-03"],
    ["3.5.2026", "2026-05-03", "2026-03-05"],
    ["31/12/25", "2025-12-31", undefined],
    ["12/31/2025", undefined, "2025-12-31"],
    ["3 May 2026", "2026-05-03", "2026-05-03"],
    ["May 3, 2026", "2026-05-03", "2026-05-03"],
    ["3 de mayo de 2026", "2026-05-03", "2026-05-03"],
    ["Sun, 3rd May 2026", "2026-05-03", "2026-05-03"],
    ["3. März 2026", "2026-03-03", "2026-03-03"],
    ["29.2.2024", "2024-02-29", undefined],
    ["29.2.24", "2024-02-29", undefined],
    ["1.2.49", "2049-02-01", "2049-01-02"],
    ["1.2.50", "1950-02-01", "1950-01-02"],
  ])("%s is found", (text, dayFirst, monthFirst) => {
    expect(findDate(text)).toMatchObject({ dayFirst, monthFirst });
  });

  it.each(["30.2.2026", "2026-13-01", "spring 2024", "12", "3 Foo 2026", "99/99/9999", "2026-05"])(
    "%s is no date",
    (text) => expect(findDate(text)).toBeUndefined(),
  );

  it("come with times, in a zone or by the clock on the wall", () => {
    expect(findDate("03/05/2026 9:30")).toMatchObject({ dayFirst: "2026-05-03", time: "09:30" });
    expect(findDate("2026-05-03T23:30:00+02:00")).toMatchObject({
      dayFirst: "2026-05-03",
      time: "21:30Z",
    });
    expect(["9:30 pm", "12:05 am", "24:00", "9.30", "9:3", "17h45"].map(findTime)).toEqual([
      "21:30",
      "00:05",
      undefined,
      "09:30",
      undefined,
      "17:45",
    ]);
  });

  it("agree with the calendar", () => {
    fc.assert(
      fc.property(
        fc.date({ min: new Date("1900-01-01"), max: new Date("2100-01-01"), noInvalidDate: true }),
        (date) => {
          expect(isDay(date.toISOString().slice(0, 10))).toBe(true);
        },
      ),
    );
    expect(["2026-02-29", "2026-04-31", "0000-01-01", "2026-00-10"].map(isDay)).toEqual([
      false,
      false,
      false,
      false,
    ]);
  });
});

describe("cells", () => {
  it("have the addresses that spreadsheets show", () => {
    expect([0, 25, 26, 701, 702, 16_383].map(columnLetters)).toEqual([
      "A",
      "Z",
      "AA",
      "ZZ",
      "AAA",
      "XFD",
    ]);
    expect(address(2, 17)).toBe("C17");
    fc.assert(
      fc.property(fc.nat(16_383), (column) => columnNumber(columnLetters(column)) === column),
    );
  });

  it("that say nothing are told from others", () => {
    const blanks = new Blanks(blankSpellings);
    const blank: Cell[] = [null, "", "  ", "\u00a0", "-", " N/A ", "?", "–"];
    const filled: Cell[] = ["no", "0", 0, false, "-5", "n", "none", { fault: "#N/A" }];
    expect([...blank, ...filled].map((cell) => blanks.has(cell))).toEqual([
      ...blank.map(() => true),
      ...filled.map(() => false),
    ]);
  });

  it("of any text can be looked at", () => {
    fc.assert(
      fc.property(
        fc.string({ unit: "grapheme", maxLength: 60 }),
        (text) => typeOfCell(text).bits >= 0,
      ),
    );
  });
});
