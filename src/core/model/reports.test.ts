import { describe, expect, it } from "vitest";
import { periods } from "../../../kit/formula/periods.ts";
import { figureKinds, markKinds, reportIn, tellings } from "../../../kit/formula/report.ts";
import { Chance } from "../../../test/support/pairs.ts";
import { checkFormulas } from "../formula/check.ts";
import { withReport } from "./add-report.ts";
import { readModel } from "./read.ts";

const model = `levadura: 1
users:
  groups: {office: Office}
  rights: {office: everything}
entities:
  # The places.
  Apiary: {fields: {name: "text, required"}}
  Harvest:
    fields:
      apiary: one Apiary
      date: date
      begun: datetime
      at: time
      weight: decimal  # in kilograms
      sort: choice forest | heather
    sort: date descending

# What follows.
labels:
  es: {Harvest: Cosecha}
`;

function read(reports: string) {
  const text = model.replace("    sort: date", `    reports:\n${reports}\n    sort: date`);
  const { model: found, diagnostics } = readModel(text);
  const wrong = [...diagnostics, ...(found ? checkFormulas(found) : [])];
  return {
    reports: found?.entities[1]?.reports ?? [],
    wrong: wrong.map(({ message, at }) => `${text.slice(at.start, at.end)}: ${message}`),
  };
}

describe("reports", () => {
  it("are written into a model, of whatever an address says, and mean the same there", () => {
    const chance = new Chance(7);
    const pick = <Value>(of: readonly Value[]) => of[chance.below(of.length)] as Value;
    const formulas = [
      "apiary",
      "apiary.name",
      "sort",
      "month(date)",
      "weight * 2",
      'sort = "a: #b"',
    ];
    for (let round = 0; round < 200; round++) {
      const dimension = () => pick([...formulas, ...periods.map((per) => `date:${per}`)]);
      const figure = () => {
        const kind = pick(figureKinds);
        const as = pick(["", "", ...tellings]);
        return `${kind === "count" ? kind : `${kind}:${pick(["weight", "weight - 1"])}`}${as && `:${as}`}`;
      };
      const shown = Array.from({ length: 1 + chance.below(3) }, figure);
      const place = 1 + chance.below(shown.length);
      const query = new URLSearchParams([
        ["layout", "report"],
        ...Array.from({ length: chance.below(4) }, () => ["by", dimension()]),
        ...(chance.below(2) ? [["across", dimension()]] : []),
        ...shown.map((each) => ["show", each]),
        ...(chance.below(2) ? [["order", `${pick(["", "-"])}${place}`]] : []),
        ...(chance.below(2) ? [["first", String(1 + chance.below(20))]] : []),
        ...(chance.below(2) ? [["mark", `${pick(["", `${place}:`])}${pick(markKinds)}:3`]] : []),
        ...(chance.below(2) ? [["only", 'weight > 1 and sort <> "x"']] : []),
        ...(chance.below(2) ? [["sort.", "forest"]] : []),
        ...(chance.below(2) ? [["blanks", "zero"]] : []),
        ...(chance.below(2) ? [["named", `${place}:Año as x`]] : []),
        ...(chance.below(2) ? [["format", `${place}:${pick(["money", "2", "kg"])}`]] : []),
        ...(chance.below(2)
          ? [
              ["ask", "date"],
              ["ask", "apiary"],
            ]
          : []),
        ["drawn", pick(["table", "bars", "trend"])],
        ["page", "3"],
      ]);
      const name = pick(["Honey", "A: b # c", "'", "Año", "1"]);
      const added = withReport(model, { entity: "Harvest", name, query });
      const found = readModel(added?.text ?? "").model?.entities[1]?.reports;
      const after = new URLSearchParams(found?.[0]?.query);
      // Two figures that are the same are ordered by the first.
      if (new Set(shown).size === shown.length)
        expect([String(query), reportIn(after)]).toEqual([String(query), reportIn(query)]);
      expect([after.get("only"), after.get("sort."), after.get("page")]).toEqual([
        query.get("only"),
        query.get("sort."),
        null,
      ]);
      expect([found?.[0]?.name, added?.replaced]).toEqual([name, false]);
      // Every line of before is still there, and one of the same name is replaced.
      const lines = new Set(added?.text.split("\n"));
      expect(model.split("\n").filter((line) => !lines.has(line))).toEqual([]);
      const by = new URLSearchParams({ layout: "report", by: "sort" });
      const again = withReport(added?.text ?? "", { entity: "Harvest", name, query: by });
      expect(again?.replaced).toBe(true);
      const fresh = withReport(model, { entity: "Harvest", name, query: by });
      expect(again?.text).toBe(fresh?.text);
    }
  });

  it("aren't added to what is written in one line", () => {
    const query = new URLSearchParams({ layout: "report" });
    expect(withReport(model, { entity: "Apiary", name: "X", query })).toBeUndefined();
    expect(withReport(model, { entity: "Nest", name: "X", query })).toBeUndefined();
  });

  it("say where they are wrong", () => {
    expect(read("      X: {by: apiary, show: count, for: office, menu: yes}")).toEqual({
      reports: [
        expect.objectContaining({
          query: "layout=report&by=apiary",
          groups: ["office"],
          menu: true,
        }),
      ],
      wrong: [],
    });
    for (const [report, said] of [
      ["{by: weigth}", "weigth: Harvest has no field `weigth`"],
      ["{by: at}", "at: rows can't be grouped by times"],
      ["{by: date by moth}", "by: "],
      ["{show: sum of sort}", "sort: this gives a text, and a number was expected"],
      [
        "{show: total of weight}",
        "total of weight: `total of weight` is nothing that a report shows",
      ],
      [
        "{show: count, order: sum of weight}",
        "sum of weight: the report doesn't show `sum of weight`",
      ],
      ["{highlight: weakest 3}", "weakest 3: `weakest 3` highlights nothing"],
      ["{only: = weight}", "this gives a value, and a condition was expected"],
      ["{drawn: pie}", "pie: a report can't be drawn as `pie`"],
      ["{first: 0}", "0: `first` is a number of groups"],
      ["{ask: [date, weigth]}", "weigth: Harvest has no field `weigth`"],
      ["{grouped: sort}", "grouped: `grouped` is not known here"],
      ["{for: board}", "X: `X` is for `board`, and there is no such group"],
      ["{by: [sort, sort, sort, sort]}", "sort: there can be 3 of these at most"],
      ["{by: {a: b}}", "a text or a list was expected here"],
      ["", "X: the report `X` says nothing"],
    ] as const) {
      expect([report, read(`      X: ${report}`).wrong.join("\n")]).toEqual([
        report,
        expect.stringContaining(said),
      ]);
    }
  });
});
