import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { parse, stringify } from "yaml";
import { runs } from "../../../test/support/runs.ts";
import { typeWords } from "../fields/types.ts";
import {
  type Definition,
  optionNames,
  optionValues,
  parseDefinition,
  printDefinition,
  type Word,
} from "./notation.ts";
import { readModel } from "./read.ts";

const at = { start: 0, end: 0 };
const word = (text: string): Word => ({ text, at });

/** Texts that are difficult for a notation: marks of its own and of YAML among letters. */
const text = fc
  .array(
    fc.constantFrom(
      "a",
      "B",
      "é",
      "🐝",
      " ",
      ",",
      "|",
      '"',
      "'",
      "#",
      ": ",
      "..",
      "\\",
      "-",
      "{",
      "}",
      "7",
      "yes",
      "~",
      "&",
      "*",
      "!",
      "%",
      "@",
      "`",
      "[",
      "?",
      " was ",
    ),
    { minLength: 1, maxLength: 7 },
  )
  .map((parts) => parts.join("").trim())
  .filter((made) => made !== "");

/** Formulas with what means something else in the notation around them. */
const formula = fc.constantFrom(
  "status = 'retired'",
  "if(a, 'b, c', \"d|e\") is empty",
  "(a, (b, c)) and d",
  "''",
  "installed + 90 days",
  "{in} <> 'it''s'",
);

const bound = fc.oneof(
  fc.integer({ min: 0, max: 99 }).map(String),
  fc.constant("today"),
  fc.constant("0.5"),
  fc.constant("2020-01-01"),
);

const definition: fc.Arbitrary<Definition> = fc
  .record({
    type: fc.constantFrom(...typeWords),
    choices: fc.array(fc.tuple(text, fc.option(text, { nil: undefined })), {
      minLength: 1,
      maxLength: 4,
    }),
    min: fc.option(bound, { nil: undefined }),
    max: fc.option(bound, { nil: undefined }),
    options: fc.uniqueArray(
      fc.tuple(fc.constantFrom(...optionNames), text, formula, fc.boolean()),
      { selector: ([name]) => name, maxLength: 4 },
    ),
  })
  .map(({ type, choices, min, max, options }) => ({
    type: word(type),
    ...(["one", "many", "part of"].includes(type) && { entity: word("Hive") }),
    ...(type === "choice" && {
      choices: choices.map(([value, was]) => ({
        ...word(value),
        ...(was !== undefined && { was: word(was) }),
      })),
    }),
    ...(type !== "choice" && min !== undefined && { min: word(min) }),
    ...(type !== "choice" && max !== undefined && { max: word(max) }),
    options: new Map(
      options.map(([name, value, computed, isComputed]) => {
        if (optionValues[name] === "nothing") return [name, word("yes")];
        const takes = optionValues[name] === "a condition" || (name === "default" && isComputed);
        return [name, takes ? { ...word(computed), formula: true as const } : word(value)];
      }),
    ),
  }));

const withoutPlaces = (made: Definition) =>
  JSON.stringify(made, (key, value) =>
    key === "at" ? undefined : value instanceof Map ? [...value] : value,
  );

describe("the short notation", () => {
  it("reads what it printed, through real YAML", () => {
    fc.assert(
      fc.property(definition, (made) => {
        const printed = printDefinition(made);
        const yaml = stringify({ x: printed }, { lineWidth: 0 });
        expect(parse(yaml)).toEqual({ x: printed });
        const { definition: again, complaints } = parseDefinition(printed, (span) => span);
        expect(complaints).toEqual([]);
        expect(JSON.parse(withoutPlaces(again))).toEqual(JSON.parse(withoutPlaces(made)));
      }),
      runs(2000),
    );
  });

  it("means the same when it is read as a whole model", () => {
    fc.assert(
      fc.property(text, text, (label, hint) => {
        const made: Definition = {
          type: word("text"),
          options: new Map([
            ["label", word(label)],
            ["hint", word(hint)],
          ]),
        };
        const field = stringify({ x: printDefinition(made) }, { lineWidth: 0 }).replace(
          /^/gm,
          "      ",
        );
        const { model } = readModel(`levadura: 1\nentities:\n  Hive:\n    fields:\n${field}`);
        expect(model?.entities[0]?.fields[0]).toMatchObject({ label, hint });
      }),
      runs(500),
    );
  });

  it("says which formula is missing, and points into those that are wrong", () => {
    const said = (definition: string) => {
      const text = `levadura: 1\nentities:\n  Hive:\n    fields:\n      x: ${definition}`;
      return readModel(text).diagnostics.map(({ message }) => message);
    };
    expect(said("text, shown when")).toEqual(["`shown when` needs a formula behind it"]);
    expect(said("text, default =")).toEqual(["`default` needs a formula behind it"]);
    expect(said("date, required when a, required when b")).toEqual([
      "`required when` appears here twice",
    ]);
    expect(said("text, required, required when x is empty")).toEqual([
      "`required` stands beside `required when`",
    ]);
    expect(said("boolean, required when x")).toEqual([
      "`required when` can't be combined with a `boolean`",
    ]);
    expect(said("boolean, default = not x")).toEqual([
      "the default of a `boolean` can't be a formula",
    ]);
    expect(said("part of Hive, shown when x is empty")).toContain(
      "`shown when` can't be combined with a `part of`",
    );
  });

  it("never throws, and says where it stopped understanding", () => {
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom("a", " ", ",", "|", '"', "'", ".", "1", "-", "\\") }),
        (any) => {
          const { complaints } = parseDefinition(any, (span) => span);
          for (const { at: place } of complaints)
            expect(place.end).toBeGreaterThanOrEqual(place.start);
        },
      ),
      runs(2000),
    );
  });
});
