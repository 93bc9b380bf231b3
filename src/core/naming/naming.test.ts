import { describe, expect, it } from "vitest";
import { editDistance, nearest } from "../../../kit/formula/nearest.ts";
import {
  camelCase,
  inSentence,
  labelOf,
  pascalCase,
  pluralOf,
  slugOf,
  snakeCase,
} from "./words.ts";

describe("names", () => {
  it.each([
    ["QueenLine", "queen_line", "queenLine", "QueenLine", "Queen line", "queen-line"],
    ["brood_frames", "brood_frames", "broodFrames", "BroodFrames", "Brood frames", "brood-frames"],
    ["DNATest", "dna_test", "dnaTest", "DnaTest", "Dna test", "dna-test"],
    ["Año", "año", "año", "Año", "Año", "ano"],
    ["Box2Lid", "box2_lid", "box2Lid", "Box2Lid", "Box2 lid", "box2-lid"],
    ["巣", "巣", "巣", "巣", "巣", "巣"],
  ])("%s goes by its names everywhere", (name, snake, camel, pascal, label, slug) => {
    expect([
      snakeCase(name),
      camelCase(name),
      pascalCase(name),
      labelOf(name),
      slugOf(name),
    ]).toEqual([snake, camel, pascal, label, slug]);
  });

  it.each([
    ["Hive", "Hives"],
    ["Apiary", "Apiaries"],
    ["Day", "Days"],
    ["Box", "Boxes"],
    ["Branch", "Branches"],
    ["Equipment", "Equipment"],
    ["Person", "People"],
    ["Wax leaf", "Wax leaves"],
    ["Queen line", "Queen lines"],
  ])("%s becomes %s when there are several", (one, many) => {
    expect(pluralOf(one)).toBe(many);
  });

  it.each([
    ["Queen line", "queen line"],
    ["DNA test", "DNA test"],
    ["Hive", "hive"],
  ])("%s reads %s within a sentence", (label, expected) => {
    expect(inSentence(label)).toBe(expected);
  });
});

describe("the nearest word", () => {
  it.each([
    ["requird", "required"],
    ["reqiured", "required"],
    ["uniqe", "unique"],
    ["defualt", "default"],
    ["lable", "label"],
    ["unti", "unit"],
    ["nonsense", undefined],
    ["x", undefined],
  ])("for %s is %s", (typed, expected) => {
    expect(nearest(typed, ["required", "unique", "default", "label", "unit"])).toBe(expected);
  });

  it("counts letters to insert, delete, replace and swap", () => {
    expect([
      editDistance("", "abc"),
      editDistance("abc", "abc"),
      editDistance("abcd", "acbd"),
      editDistance("abc", "axc"),
    ]).toEqual([3, 0, 1, 1]);
  });
});
