import { describe, expect, it } from "vitest";
import { todayIn } from "../formula/clock.ts";
import { formatsFor } from "../messages/formats.ts";
import { messagesFor } from "../messages/messages.ts";
import * as fields from "./builders.ts";
import type { Field, FieldScope } from "./field.ts";

/** What fields have to know of somebody who types. */
function scopeOf({
  language = "en",
  timezone = "UTC",
  at = "2026-05-03T07:00:00Z",
}: {
  language?: string;
  timezone?: string;
  at?: string;
} = {}): FieldScope {
  const messages = messagesFor(language);
  const format = formatsFor(language, "EUR", timezone, messages);
  return { messages, format, timezone, today: todayIn(timezone, at) };
}

/** What a field makes of a text: the value, or what is wrong. */
function taken(field: Field, typed: string | readonly string[] | undefined): unknown {
  const reading = field.read(typed === undefined ? [] : [typed].flat(), scopeOf());
  return "value" in reading ? reading.value : `! ${reading.error}`;
}

const through = { table: "x_y", from: "x_id", to: "y_id" };

describe("typed values", () => {
  it.each([
    [fields.text({ label: "X", min: 2, max: 4 }), "  ab ", "ab"],
    [fields.text({ label: "X" }), " ", "! Fill this in."],
    [fields.text({ label: "X", max: 2 }), "🐝🐝", "🐝🐝"],
    [fields.text({ label: "X", max: 2 }), "🐝🐝🐝", "! Use at most 2 characters."],
    [fields.text({ label: "X" }), "a\0b", "! This holds a character that can't be kept (NUL)."],
    [fields.longText({ label: "X" }), "a\r\nb", "a\nb"],
    [fields.integer({ label: "X", min: 0 }), "-1", "! Use 0 or more."],
    [fields.integer({ label: "X" }), "1.5", "! Use a whole number."],
    [fields.integer({ label: "X" }), "99999999999999999999", "! Use a whole number."],
    [fields.decimal({ label: "X" }), "1.50", 1.5],
    [fields.decimal({ label: "X" }), "1.505", "! Use at most 2 digits after the point."],
    [
      fields.decimal({ label: "X", places: 3 }),
      "1234567890123.456",
      "! Use at most 15 digits in all.",
    ],
    [fields.decimal({ label: "X" }), "1e3", "! Use a number, such as 12.5."],
    [fields.decimal({ label: "X" }), "-0", 0],
    [fields.date({ label: "X" }), "2024-02-29", "2024-02-29"],
    [fields.date({ label: "X" }), "2023-02-29", "! Use a date, such as 05/03/2026."],
    [fields.date({ label: "X", min: "2020-01-01" }), "2019-12-31", "! Use 01/01/2020 or later."],
    [fields.time({ label: "X" }), "24:00", "! Use a time, such as 9:30 AM."],
    [fields.duration({ label: "X" }), "26:30", 95_400],
    [fields.duration({ label: "X" }), "1:20.4", 80.4],
    [fields.duration({ label: "X" }), "0:01:20,4", 80.4],
    [fields.duration({ label: "X" }), "2h30", 9000],
    [fields.duration({ label: "X" }), "1 h 45 min", 6300],
    [fields.duration({ label: "X" }), "-0:30", -1800],
    [fields.duration({ label: "X" }), "2:75", "! Use hours and minutes, such as 2:30."],
    [fields.datetime({ label: "X" }), "2026-05-03T09:30", "2026-05-03T09:30:00Z"],
    [fields.email({ label: "X" }), "ana@", "! Use an email address, such as ana@example.org."],
    [
      fields.url({ label: "X" }),
      "javascript:alert(1)",
      "! Use a web address that begins with https://.",
    ],
    [fields.phone({ label: "X" }), "+00 (555) 12-34", "+00 (555) 12-34"],
    [fields.color({ label: "X" }), "#FFCC00", "#ffcc00"],
    [
      fields.choice({ label: "X", choices: { a: "A" } }),
      "constructor",
      "! Choose one of those offered.",
    ],
    [fields.reference({ label: "X", to: "y" }), "7", 7],
    [fields.reference({ label: "X", to: "y" }), "7 or 1", "! Choose one of those offered."],
    [fields.references({ label: "X", to: "y", through }), ["3", "3", "4"], [3, 4]],
    [
      fields.references({ label: "X", to: "y", through, required: true }),
      [],
      "! Choose at least one.",
    ],
    [fields.boolean({ label: "X" }), "yes", true],
    [fields.boolean({ label: "X" }), undefined, false],
    [fields.optional(fields.integer({ label: "X" })), " ", null],
    [fields.optional(fields.integer({ label: "X" })), "x", "! Use a whole number."],
  ])("case %#: takes or refuses %s %j", (field, typed, expected) => {
    expect(taken(field, typed)).toEqual(expected);
  });

  it("tell the browser the same bounds", () => {
    expect(fields.text({ label: "X", min: 2, max: 60 }).attributes(scopeOf())).toEqual({
      required: true,
      minlength: 2,
      maxlength: 60,
    });
    const amount = fields.optional(fields.decimal({ label: "X", min: 0, places: 1 }));
    expect(amount.attributes(scopeOf())).toEqual({
      type: "number",
      required: false,
      step: "0.1",
      inputmode: "decimal",
      min: 0,
    });
    const date = fields.optional(fields.date({ label: "X", max: "today" }));
    const madrid = scopeOf({ timezone: "Europe/Madrid", at: "2026-05-03T23:30:00Z" });
    expect(date.attributes(madrid)).toMatchObject({ required: false, "data-max": "2026-05-04" });
  });

  it.each([
    ["en-GB", "03/05/2026", "03/05/2026 09:30", "dd/mm/yyyy"],
    ["en", "05/03/2026", "05/03/2026 9:30 AM", "mm/dd/yyyy"],
    ["es", "03/05/2026", "03/05/2026 09:30", "dd/mm/aaaa"],
    ["de", "03.05.2026", "03.05.2026 09:30", "dd.mm.yyyy"],
    ["sv", "2026-05-03", "2026-05-03 09:30", "yyyy-mm-dd"],
    ["hu", "2026. 05. 03.", "2026. 05. 03. 09:30", "yyyy. mm. dd."],
    ["ja", "2026/05/03", "2026/05/03 09:30", "yyyy/mm/dd"],
    ["bg", "03.05.2026 г.", "03.05.2026 г. 09:30", "dd.mm.yyyy г."],
  ])("are typed and shown as in %s", (language, day, moment, pattern) => {
    const scope = scopeOf({ language });
    const [date, datetime] = [fields.date({ label: "X" }), fields.datetime({ label: "X" })];
    expect(date.write("2026-05-03", scope)).toBe(day);
    expect(datetime.write("2026-05-03T09:30:00Z", scope)).toBe(moment);
    expect(date.attributes(scope).placeholder).toBe(pattern);
    for (const typed of [day, "2026-05-03"])
      expect(date.read([typed], scope)).toEqual({ value: "2026-05-03" });
    for (const typed of [moment, "2026-05-03T09:30", "2026-05-03 09:30"])
      expect(datetime.read([typed], scope)).toEqual({ value: "2026-05-03T09:30:00Z" });
  });

  it("say what is wrong in the language of the person", () => {
    const spanish = scopeOf({ language: "es-MX" });
    const said = (field: Field, typed: string) => field.read([typed], spanish);
    expect([
      said(fields.text({ label: "X", max: 1 }), "ab"),
      said(fields.text({ label: "X", max: 2 }), "abc"),
      said(fields.date({ label: "X", min: "2020-01-01" }), "31/12/2019"),
      said(fields.integer({ label: "X" }), ""),
    ]).toEqual(
      [
        "Usa como máximo 1 carácter.",
        "Usa como máximo 2 caracteres.",
        "Usa el 01/01/2020 o una fecha posterior.",
        "Rellena este campo.",
      ].map((error) => ({ error })),
    );
  });
});

describe("hostile inputs", () => {
  const hostile: Record<string, Field> = {
    text: fields.text({ label: "X" }),
    "long text": fields.longText({ label: "X" }),
    integer: fields.integer({ label: "X" }),
    decimal: fields.decimal({ label: "X", places: 10 }),
    boolean: fields.boolean({ label: "X" }),
    date: fields.date({ label: "X" }),
    time: fields.time({ label: "X" }),
    datetime: fields.datetime({ label: "X" }),
    email: fields.email({ label: "X" }),
    url: fields.url({ label: "X" }),
    phone: fields.phone({ label: "X" }),
    color: fields.color({ label: "X" }),
    choice: fields.choice({ label: "X", choices: { a: "A", __proto__: "B" } }),
    reference: fields.reference({ label: "X", to: "y" }),
    optional: fields.optional(fields.decimal({ label: "X" })),
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
  it.each(Object.keys(hostile))("take no time that grows faster than they do: %s", (name) => {
    for (const length of [100, 20_000, 400_000, 2_000_000]) {
      for (const attack of Object.values(attacks)) {
        const answer = hostile[name]?.read([attack(length)], scopeOf());
        if (length === 2_000_000 && !/boolean|optional/.test(name))
          expect(answer).toHaveProperty("error");
      }
    }
  });
});
