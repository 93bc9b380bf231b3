import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { functions, rowFunctions } from "../../../kit/formula/functions.ts";
import { parseFormula } from "../../../kit/formula/parse.ts";
import { printFormula } from "../../../kit/formula/print.ts";
import { bare, binaryOperators, type Expression } from "../../../kit/formula/tree.ts";
import { runs } from "../../../test/support/runs.ts";
import { readModel } from "../model/read.ts";
import { checkFormulas } from "./check.ts";

const at = { start: 0, end: 0 };

/** A formula as it is printed; or the words and the place of what is wrong. */
function read(text: string): string {
  const parsed = parseFormula(text);
  if ("expression" in parsed) return printFormula(parsed.expression);
  const { message, at: place } = parsed.complaint;
  return `${place.start}..${place.end}: ${message}`;
}

describe("a formula", () => {
  it.each([
    ["= weight * price", "= weight * price"],
    ["=a+b*c", "= a + b * c"],
    ["= (a + b) * c", "= (a + b) * c"],
    ["= a - (b - c) - d", "= a - (b - c) - d"],
    ["= -(a + b) - -c", "= -(a + b) - -c"],
    ["= not a and b or c", "= not a and b or c"],
    ["= not (a and b)", "= not (a and b)"],
    ["= removed is empty or removed >= installed", "= removed is empty or removed >= installed"],
    ["= status NOT IN ('a', \"it's\")", "= status not in ('a', 'it''s')"],
    [
      "= code begins with 'B' and notes contains 'x'",
      "= code begins with 'B' and notes contains 'x'",
    ],
    ["= installed + 90 days", "= installed + 90 days"],
    ["= TODAY - 1 Week", "= today - 1 weeks"],
    ["= {in} + {año nuevo}", "= {in} + {año nuevo}"],
    [
      "= sum(harvests.weight, harvests.year = year(today))",
      "= sum(harvests.weight, harvests.year = year(today))",
    ],
    ["= 'Hive ' & code & ': ' & round(weight, 1)", "= 'Hive ' & code & ': ' & round(weight, 1)"],
    ["= count(hives VIA home)", "= count(hives via home)"],
    ["= sum(hives via {in}.weight) + via", "= sum(hives via {in}.weight) + via"],
    ["weight", "0..1: a formula begins with `=`"],
    ["=", "0..1: something is missing at the end"],
    ["= a +", "4..5: something is missing at the end"],
    ["= a b", "4..5: `b` can't follow here"],
    ["= (a + b", "6..8: the end stands where `)` was expected, to close the bracket"],
    ["= 'open", "2..7: a text begins here that doesn't end"],
    ["= a ! b", "4..5: `!` means nothing in a formula"],
    ["= a < b < c", "8..9: this is a comparison already"],
    ["= in + 1", "2..4: `in` isn't allowed here"],
    ["= a.+", "4..5: `+` stands where the name of a field was expected"],
  ])("such as %s is read as %s", (text, expected) => {
    const wanted = /^\d/.test(expected) ? expected.replace(/^6\.\.8/, "8..8") : expected;
    expect(read(text)).toBe(wanted);
  });

  const leaf = fc.oneof(
    fc
      .tuple(fc.nat(), fc.nat(99))
      .map(([a, b]) => ({ kind: "number" as const, text: b ? `${a}.${b}` : `${a}` })),
    fc.string({ maxLength: 6 }).map((value) => ({ kind: "text" as const, value })),
    fc.boolean().map((value) => ({ kind: "boolean" as const, value })),
    fc
      .nat(999)
      .map((count) => ({ kind: "span" as const, count: String(count), unit: "days" as const })),
    fc
      .array(fc.constantFrom("weight", "price", "in", "año", "not", "a b", "day"), {
        minLength: 1,
        maxLength: 3,
      })
      .map((names) => ({ kind: "path" as const, names: names.map((text) => ({ text, at })) })),
  );
  const tree = fc.letrec<{ tree: Expression }>((tie) => ({
    tree: fc
      .oneof(
        { depthSize: "small" },
        leaf,
        fc.record({
          kind: fc.constant("unary" as const),
          operator: fc.constantFrom("-" as const, "not" as const),
          operand: tie("tree"),
        }),
        fc.record({
          kind: fc.constant("binary" as const),
          operator: fc.constantFrom(...binaryOperators.flat()),
          left: tie("tree"),
          right: tie("tree"),
        }),
        fc.record({
          kind: fc.constant("empty" as const),
          operand: tie("tree"),
          negated: fc.boolean(),
        }),
        fc.record({
          kind: fc.constant("in" as const),
          operand: tie("tree"),
          among: fc.array(tie("tree"), { minLength: 1, maxLength: 3 }),
          negated: fc.boolean(),
        }),
        fc.record({
          kind: fc.constant("call" as const),
          name: fc.constantFrom("round", "if", "days", "count"),
          given: fc.array(tie("tree"), { maxLength: 3 }),
        }),
      )
      .map((each) => ({ ...each, at }) as Expression),
  })).tree;

  it("that was printed is read as the same tree", () => {
    fc.assert(
      fc.property(tree, (expression) => {
        const text = printFormula(expression);
        fc.pre(text.length <= 2000);
        const parsed = parseFormula(text);
        expect(
          "expression" in parsed ? bare(parsed.expression) : `${text} ${parsed.complaint.message}`,
        ).toEqual(bare(expression));
      }),
      runs(1500),
    );
  });

  it("is read or pointed at, whatever it is, and never throws", () => {
    const pieces = fc.array(
      fc.oneof(
        fc.string(),
        fc.constantFrom(
          "(",
          ")",
          "and",
          "not",
          "is",
          "empty",
          "in",
          "if(",
          "a",
          "1",
          "'",
          ",",
          "-",
          "=",
          ".",
          "{",
          "}",
          " ",
        ),
      ),
      { maxLength: 40 },
    );
    fc.assert(
      fc.property(pieces, (found) => {
        const text = `=${found.join("")}`;
        const parsed = parseFormula(text);
        if ("expression" in parsed) return;
        const { at: place, message } = parsed.complaint;
        expect(message).not.toBe("");
        expect([place.start >= 0, place.start <= place.end, place.end <= text.length]).toEqual([
          true,
          true,
          true,
        ]);
      }),
      runs(1500),
    );
    expect(read(`=${"(".repeat(500)}1${")".repeat(500)}`)).toContain("deep");
    expect(read(`=${"-".repeat(500)}1`)).toContain("deep");
    expect(read(`= ${"1 + ".repeat(600)}1`)).toContain("2000 are the most");
  });
});

const model = (formula: string, more = "") => `levadura: 1
entities:
  Apiary:
    fields:
      name: text, required
      town: text
  Hive:
    fields:
      code: text
      apiary: one Apiary
      weight: decimal
      first: integer
      second: integer
      frames: integer
      target: decimal
      price: money
      installed: date
      seen: datetime
      worked: duration
      lap: duration
      sunny: boolean
      photo: image
      state: choice strong | weak
      found: ${JSON.stringify(formula)}
${more}  Harvest:
    fields: {hive: part of Hive, weight: decimal, date: date, year: integer}
  Inspection:
    fields: {hive: part of Hive, date: date}
`;

/** What is said of the formula of a field, with the piece of the text that it points at. */
function said(formula: string, more?: string): string[] {
  const text = model(formula, more);
  const { model: read, diagnostics } = readModel(text);
  if (!read) return diagnostics.map(({ message }) => message);
  return checkFormulas(read).map(
    ({ message, help, at: { start, end } }) =>
      `${text.slice(start, end)}: ${message}${help ? ` (${help})` : ""}`,
  );
}

describe("the names and types of a formula", () => {
  it.each([
    ...Object.values(functions).map(({ example }) => example),
    ...Object.values(rowFunctions).map(({ example }) => example),
    "apiary.town & ', ' & code",
    "if(weight > 20, 'full', 'light')",
    "installed + 90 days < today",
    "days(installed, today) / 7",
    "sum(harvests.weight, harvests.year = year(today) and harvests.hive.sunny)",
    "-weight * 2 + frames % 3",
    "code in ('a', 'b') or not sunny",
    "(today - installed) * 2",
    "version + 1",
    "hours(worked + lap * 2) * price",
    "worked / lap > 2 and worked > lap",
    "created_at > now - 2 weeks",
  ])("are right in %s", (formula) => {
    expect(said(`= ${formula}`)).toEqual([]);
  });

  it.each([
    ["weihgt * 2", "weihgt: Hive has no field `weihgt` (did you mean `weight`?)"],
    [
      "weight + code",
      "weight + code: `+` doesn't work between a number and a text (texts are joined with `&`)",
    ],
    ["weight = code", "weight = code: a number can't be compared with a text"],
    ["weight and sunny", "weight: this is a number, and true or false was expected beside `and`"],
    [
      "apiary & ''",
      "apiary: `apiary` is a record, Apiary (ask whether it `is empty`, or name one of its fields, as in `apiary.name`)",
    ],
    ["apiary.twon", "twon: Apiary has no field `twon` (did you mean `town`?)"],
    ["weight.x", "weight: nothing can follow behind `weight`, which is a number"],
    [
      "harvests + 1",
      "harvests: `harvests` are any number of records, Harvest (count them with `count(harvests)`)",
    ],
    ["rond(weight)", "rond: there is no function `rond` (did you mean `round`?)"],
    [
      "round()",
      "round(): `round` takes 1 or 2 values, and has 0 (write it as `round(weight * price, 2)`)",
    ],
    ["upper(weight)", "weight: this is a number, and a text was expected in `upper`"],
    ["max(weight, installed)", "installed: this is a date, and what stands before it is a number"],
    ["if(sunny, 1, 'a')", "'a': this is a text, and a number was expected as the value before it"],
    [
      "sum(harvests)",
      "harvests: `sum` counts on a field here (name a field of them, as in `sum(harvests.weight)`)",
    ],
    [
      "sum(weight)",
      "weight: `weight` is not a list of records (write it as `sum(harvests.weight)`)",
    ],
    [
      "latest(harvests.weight)",
      "harvests.weight: `latest` doesn't take a number (it takes a date or a moment)",
    ],
    ["state = 'weka'", "'weka': `state` has no choice `weka` (did you mean `weak`?)"],
    ["state in ('WEAK', 'x')", "'x': `state` has no choice `x` (its choices are strong, weak)"],
    ["photo = 'x'", "photo: `photo` is a field of files (ask whether it `is empty`)"],
    ["photo.name is empty", "photo: `photo` is a field of files (ask whether it `is empty`)"],
    ["found + 1", "found: Hive.found → Hive.found: each is computed from the next"],
    [
      "weight +",
      "+: something is missing at the end (a field, a number, a text in quotes or a function was expected)",
    ],
  ])("are pointed at in %s", (formula, expected) => {
    expect(said(`= ${formula}`)).toEqual([expected]);
  });

  it.each([
    ["text, default = upper(code)", []],
    ["integer, default = weight * 2", []],
    ["text, shown when apiary is not empty and apiary.town is empty", []],
    ["date, required when count(harvests) > 2", []],
    ["date, default = code", ["code: this gives a text, and `more` holds a date"]],
    [
      "integer, default = today - installed",
      [
        "today - installed: this gives a number of days, and `more` holds a number (take the number of days with `days(from, to)`)",
      ],
    ],
    [
      "text, shown when weight",
      [
        "weight: this gives a value, and a condition was expected (a condition holds or doesn't, as in `= removed is empty or removed >= installed`)",
      ],
    ],
    [
      "text, shown when count(harvests) > 1",
      [
        "count(harvests) > 1: this looks at records that refer to this one, and a new one has none yet (it can look at the fields of the form, and along references, as in `apiary.town`)",
      ],
    ],
    ["integer, default = id", ["id: a record gets its `id` only when it is saved"]],
    [
      "integer, default = more + 1",
      [
        "more + 1: this default looks at the field itself (let one of them begin with something that is typed in)",
      ],
    ],
    [
      "text, default = other & 'x'\n      other: text, default = more",
      [
        "other & 'x': the defaults of `more`, `other` are each computed of another one of them (let one of them begin with something that is typed in)",
        "more: the defaults of `more`, `other` are each computed of another one of them (let one of them begin with something that is typed in)",
      ],
    ],
  ])("fit what they are for: %s", (definition, expected) => {
    expect(said("= 1", `      more: ${definition}\n`)).toEqual(expected);
  });

  it("are followed through other computed fields, and round a corner", () => {
    const more = "      half: '= weight / 2'\n      other: {value: '= found + 1', label: More}\n";
    expect(said("= half + 1", more)).toEqual([]);
    expect(said("= other * 2", more)).toEqual([
      "other: the formula of Hive.other is wrong itself",
      "found: Hive.found → Hive.other → Hive.found: each is computed from the next",
    ]);
  });
});
