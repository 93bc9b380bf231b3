import { describe, expect, it } from "vitest";
import { printScript, type Section } from "../../src/core/sql/script.ts";
import { parseScript } from "./script.ts";

describe("a migration's script", () => {
  const sections: Section[] = [
    {
      sentences: ["drops a column", "with a\nline of its own"],
      parts: [
        { kind: "bring back", file: "hive-notes", table: '"levadura_kept_hive-notes"' },
        {
          kind: "assert no rows",
          sentence: "rows of hive have no x",
          query: "select 1\nwhere ';' = ''",
        },
        { kind: "keep", file: "hive-notes", table: '"hive"', query: "select id\nfrom hive" },
        { kind: "hold triggers", columns: ['"id"', '"a b"'], table: '"hive"' },
        { kind: "run", sql: "update hive set notes = 'a\n-- b\n   c'" },
        { kind: "return triggers", table: '"hive"' },
        { kind: "no way", about: "Writes the codes in capitals" },
      ],
    },
  ];

  it("is read as it was printed, line ends within texts included", () => {
    const parts = parseScript(printScript(sections)).map((part) =>
      part.kind === "run" ? { ...part, sql: part.sql.trim().replace(/;$/, "") } : part,
    );
    expect(parts).toEqual(sections[0]?.parts);
  });

  it("has nothing to run where there are only remarks", () => {
    expect(parseScript("-- a remark\n\n-- another\n")).toEqual([]);
  });
});
