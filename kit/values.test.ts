import { afterEach, describe, expect, it, vi } from "vitest";
import type { z } from "zod";
import { localAddress, recordId, slug } from "./links.ts";
import { listRequest } from "./lists.ts";
import { configure } from "./settings.ts";
import { now, today, toLocal, toUtc } from "./time.ts";
import * as values from "./values.ts";

const english = { name: "Test", language: "en", currency: "EUR", timezone: "UTC" };
afterEach(() => {
  configure(english);
  vi.useRealTimers();
});

/** What a type makes of a text: the value, or the first complaint. */
function taken(type: z.ZodType, typed: unknown): unknown {
  const result = type.safeParse(typed);
  return result.success ? result.data : `! ${result.error.issues[0]?.message}`;
}

describe("typed values", () => {
  it.each([
    [values.text({ min: 2, max: 4 }), "  ab ", "ab"],
    [values.text(), " ", "! Fill this in."],
    [values.text({ max: 2 }), "🐝🐝", "🐝🐝"],
    [values.text({ max: 2 }), "🐝🐝🐝", "! Use at most 2 characters."],
    [values.text(), "a\0b", "! This holds a character that can't be kept (NUL)."],
    [values.longText(), "a\r\nb", "a\nb"],
    [values.integer({ min: 0 }), "-1", "! Use 0 or more."],
    [values.integer(), "1.5", "! Use a whole number."],
    [values.integer(), "99999999999999999999", "! Use a whole number."],
    [values.decimal(), "1.50", 1.5],
    [values.decimal(), "1.505", "! Use at most 2 digits after the point."],
    [values.decimal({ places: 3 }), "1234567890123.456", "! Use at most 15 digits in all."],
    [values.decimal(), "1e3", "! Use a number, such as 12.5."],
    [values.decimal(), "-0", 0],
    [values.date(), "2024-02-29", "2024-02-29"],
    [values.date(), "2023-02-29", "! Use a date, such as 2026-05-03."],
    [values.date({ min: "2020-01-01" }), "2019-12-31", "! Use 2020-01-01 or later."],
    [values.time(), "24:00", "! Use a time, such as 09:30."],
    [values.datetime(), "2026-05-03T09:30", "2026-05-03T09:30:00Z"],
    [values.email(), "ana@", "! Use an email address, such as ana@example.org."],
    [values.url(), "javascript:alert(1)", "! Use a web address that begins with https://."],
    [values.phone(), "+00 (555) 12-34", "+00 (555) 12-34"],
    [values.color(), "#FFCC00", "#ffcc00"],
    [values.choice({ a: "A" }), "constructor", "! Choose one of those offered."],
    [values.reference(), "7", 7],
    [values.reference(), "7 or 1", "! Choose one of those offered."],
    [values.references(), ["3", "3", "4"], [3, 4]],
    [values.references({ required: true }), [], "! Choose at least one."],
    [values.boolean(), "yes", true],
    [values.boolean(), undefined, false],
    [values.optional(values.integer()), " ", null],
    [values.optional(values.integer()), "x", "! Use a whole number."],
  ])("case %#: takes or refuses %s %j", (type, typed, expected) => {
    expect(taken(type, typed)).toEqual(expected);
  });

  it("tell the browser the same bounds", () => {
    const attributes = (type: z.ZodType) => values.entries.get(type)?.attributes();
    expect(attributes(values.text({ min: 2, max: 60 }))).toEqual({
      required: true,
      minlength: 2,
      maxlength: 60,
    });
    expect(attributes(values.optional(values.decimal({ min: 0, places: 1 })))).toEqual({
      type: "number",
      required: false,
      step: "0.1",
      inputmode: "decimal",
      min: 0,
    });
    vi.useFakeTimers({ now: new Date("2026-05-03T23:30:00Z") });
    const date = values.optional(values.date({ max: "today" }));
    configure({ ...english, timezone: "Europe/Madrid" });
    expect(attributes(date)).toEqual({ type: "date", required: false, max: "2026-05-04" });
  });
});

describe("hostile inputs", () => {
  const types: Record<string, z.ZodType> = {
    text: values.text(),
    "long text": values.longText(),
    integer: values.integer(),
    decimal: values.decimal({ places: 10 }),
    boolean: values.boolean(),
    date: values.date(),
    time: values.time(),
    datetime: values.datetime(),
    email: values.email(),
    url: values.url(),
    phone: values.phone(),
    color: values.color(),
    choice: values.choice({ a: "A", __proto__: "B" }),
    reference: values.reference(),
    optional: values.optional(values.decimal()),
  };
  /** What made patterns and tables of letters slow: of whatever length is asked for. */
  const attacks: Record<string, (length: number) => string> = {
    digits: (length) => "9".repeat(length),
    zeros: (length) => `0.${"0".repeat(length)}1`,
    marks: (length) => `a${"\u0301\u0316".repeat(length / 2)}`,
    "marks of many letters": (length) => `e${"\u0327\u0301".repeat(14)}`.repeat(length / 29),
    jamo: (length) => "\u1112\u1161\u11ab".repeat(length / 3),
    spaces: (length) => `x${" ".repeat(length)}x`,
    blank: (length) => " ".repeat(length),
    "line ends": (length) => "\r\n".repeat(length / 2),
    addresses: (length) => `${"a.".repeat(length / 2)}@`,
    hosts: (length) => `a@${"a-".repeat(length / 2)}`,
    telephone: (length) => `+${"1 ".repeat(length / 2)}x`,
    links: (length) => `https://${"a@".repeat(length / 2)}`,
    pairs: (length) => "\ud83d\udc1d".repeat(length / 2),
    halves: (length) => "\ud83d".repeat(length),
  };

  // Where the time grew with the square of the length, the longest of them took minutes each.
  it.each(Object.keys(types))("take no time that grows faster than they do: %s", (name) => {
    for (const length of [100, 20_000, 400_000, 2_000_000]) {
      for (const attack of Object.values(attacks)) {
        const type = types[name] as z.ZodType;
        const answer = type.safeParse(attack(length));
        if (length === 2_000_000 && !/boolean|optional/.test(name))
          expect(answer.success).toBe(false);
      }
    }
  });

  it("are cut before they are looked for", () => {
    for (const attack of Object.values(attacks)) {
      expect(
        listRequest(new URLSearchParams({ search: attack(50_000) })).search.length,
      ).toBeLessThan(101);
      expect(slug(attack(50_000)).length).toBeLessThan(200);
    }
  });
});

describe("time", () => {
  it("goes by the application's time zone", () => {
    vi.useFakeTimers({ now: new Date("2026-05-03T23:30:00Z") });
    configure({ ...english, timezone: "Europe/Madrid" });
    expect([today(), now(), toLocal(now())]).toEqual([
      "2026-05-04",
      "2026-05-03T23:30:00Z",
      "2026-05-04T01:30",
    ]);
    configure({ ...english, timezone: "America/Lima" });
    expect(today()).toBe("2026-05-03");
  });

  it.each([
    ["2026-01-15T12:00", "2026-01-15T11:00:00Z"],
    ["2026-07-15T12:00", "2026-07-15T10:00:00Z"],
    ["2026-10-25T02:30", "2026-10-25T00:30:00Z"],
  ])("turns %s on the wall in Madrid into %s", (local, utc) => {
    configure({ ...english, timezone: "Europe/Madrid" });
    expect(toUtc(local)).toBe(utc);
    expect(toLocal(utc)).toBe(local);
  });
});

describe("addresses", () => {
  it.each([
    ["B-07", "b-07"],
    ["Ñandú & más", "nandu-mas"],
    ["<script>", "script"],
    ["…", ""],
  ])("carry %s as %s", (title, expected) => {
    expect(slug(title)).toBe(expected);
  });

  it("begin with the number that finds the record", () => {
    expect([
      recordId("12-b-07"),
      recordId("12"),
      recordId("12b"),
      recordId("new"),
      recordId("1e3"),
    ]).toEqual([12, 12, undefined, undefined, undefined]);
  });

  it("lead back only within the application", () => {
    expect(
      [
        "/hives?x=1",
        "//evil.example",
        "/\\evil",
        "https://evil.example",
        "javascript:1",
        "/a b",
      ].map(localAddress),
    ).toEqual(["/hives?x=1", undefined, undefined, undefined, undefined, undefined]);
  });
});
