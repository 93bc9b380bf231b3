import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { mergedText } from "./merge.ts";

const base = ["one", "two", "three", "four", "five", "six", "seven", "eight"].join("\n");

describe("a text that was changed on two sides", () => {
  it("has the changes of both where they don't meet, with the line ends of whoever edited it", () => {
    const mine = base.replace("two", "two, mine").replaceAll("\n", "\r\n");
    const fresh = `${base.replace("six", "six, fresh")}\nnine`;
    expect(mergedText(base, mine, fresh)).toBe(
      `${base.replace("two", "two, mine").replace("six", "six, fresh")}\nnine`.replaceAll(
        "\n",
        "\r\n",
      ),
    );
    expect(mergedText(base, fresh, fresh)).toBe(fresh);
    expect(mergedText(base, base.replace("two", "a"), base.replace("two", "b"))).toBeUndefined();
  });

  it("loses no line that either side added, and takes none back, whatever they did", () => {
    const line: fc.Arbitrary<string> = fc.constantFrom("a", "b", "c", "d", "}", "");
    const edit = fc.record({ at: fc.nat(30), drop: fc.nat(2), add: fc.nat(2) });
    let joined = 0;
    fc.assert(
      fc.property(
        fc.array(line, { minLength: 4, maxLength: 24 }),
        fc.array(edit, { minLength: 1, maxLength: 3 }),
        fc.array(edit, { minLength: 1, maxLength: 3 }),
        (lines, mine, fresh) => {
          // Each added line is one of a kind, so that it can be found again.
          const edited = (edits: typeof mine, side: string) =>
            edits.reduce((text, { at, drop, add }, nth) => {
              const added = Array.from({ length: add }, (_, each) => `${side}${nth}.${each}`);
              return text.toSpliced(at % (text.length + 1), drop, ...added);
            }, lines);
          const [own, other] = [edited(mine, "mine"), edited(fresh, "fresh")];
          const [text, from, to] = [lines, own, other].map((each) => each.join("\n"));
          const merged = mergedText(text ?? "", from ?? "", to ?? "")?.split("\n");
          if (!merged) return;
          joined++;
          const added = [...own, ...other].filter((each) => /\d/.test(each));
          expect(added.filter((each) => !merged.includes(each))).toEqual([]);
          expect(merged.filter((each) => /\d/.test(each)).length).toBe(new Set(added).size);
        },
      ),
    );
    expect(joined).toBeGreaterThan(5);
  });
});
