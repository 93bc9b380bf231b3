import { readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { dayAfter, daysIn, periodOf, periods } from "../kit/formula/periods.ts";
import { toLocal } from "../kit/formula/zones.ts";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { Chance } from "./support/pairs.ts";
import { levadura, projectWith, type Running, running } from "./support/program.ts";
import {
  type Dimension,
  expectReport,
  linesOf,
  periodText,
  type Values,
} from "./support/report-page.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite, timezone: Australia/Lord_Howe}
users:
  groups: {all: Office, some: Guests}
  rights: {all: everything, some: see}
entities:
  Apiary:
    title: "{name}"
    fields: {name: "text, required, unique", town: text}
    seed: 4
  Hive:
    title: "{code}"
    fields:
      code: text ..12, required, unique
      apiary: one Apiary
      frames: integer 0..20
    seed: 12
  Harvest:
    fields:
      hive: one Hive
      date: date 2024-11-01..2026-02-28, required
      weighed: datetime
      weight: decimal 0..80, places 1
      jars: integer 0..9
      sort: choice blossom | forest | "<b>'heather'"
      checked: boolean
      secret: integer 1..5
      value: "= weight * jars"
    rights: {all: everything, some: [see where sort = "forest", hide secret]}
    reports:
      For the office: {by: sort, show: sum of weight, for: all, menu: yes}
    seed: 160
`;

interface Row {
  id: number;
  date: string;
  /** By the clock of the application. */
  weighed: string | null;
  weight: number | null;
  jars: number | null;
  sort: string | null;
  checked: boolean;
  hive: string | null;
  frames: number | null;
  apiary: string | null;
  town: string | null;
}

function localDay(moment: string): string {
  return toLocal("Australia/Lord_Howe", moment.replace(" ", "T").replace(/(?<=:\d\d)$/, "Z")).slice(
    0,
    10,
  );
}

/** What rows can be put together by, and what a row is called then. */
const dimensions: readonly Dimension<Row>[] = [
  ["hive", ({ hive }) => hive],
  ["hive.apiary", ({ apiary }) => apiary],
  ["hive.apiary.town", ({ town }) => town],
  ["sort", ({ sort }) => sort && `${sort[0]?.toUpperCase()}${sort.slice(1)}`],
  ["checked", ({ checked }) => (checked ? "Yes" : "No")],
  ["jars", ({ jars }) => jars],
  ["jars % 3", ({ jars }) => jars && jars % 3],
  ["year(date) - 2020", ({ date }) => Number(date.slice(0, 4)) - 2020],
  ...periods.map((per): Dimension<Row> => [`date:${per}`, ({ date }) => periodText(per, date)]),
  ...periods.map(
    (per): Dimension<Row> => [
      `weighed:${per}`,
      ({ weighed }) => weighed && periodText(per, weighed),
    ],
  ),
];

const values: Values<Row> = {
  weight: ({ weight }) => weight,
  jars: ({ jars }) => jars,
  value: ({ weight, jars }) => (weight === null || jars === null ? null : weight * jars),
  "weight * 2 - jars": ({ weight, jars }) =>
    weight === null || jars === null ? null : weight * 2 - jars,
  "hive.frames": ({ frames }) => frames,
  "if(sort = \"<b>'heather'\", 1, 0)": ({ sort }) => (sort === "<b>'heather'" ? 1 : 0),
};

describe.each(kinds)("reports over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  let guest: Visitor;
  let rows: Row[] = [];

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "all");
    guest = await Visitor.of(app.address, "some");
    const found = await project.rows<Record<string, unknown>>(
      "select harvest.*, hive.code as hive_code, hive.frames, apiary.name, apiary.town from harvest left join hive on hive.id = hive_id left join apiary on apiary.id = apiary_id",
    );
    const number = (value: unknown) => (value === null ? null : Number(value));
    const text = (value: unknown) => (value === null ? null : String(value));
    rows = found.map((row) => ({
      id: Number(row.id),
      date: String(row.date).slice(0, 10),
      weighed: row.weighed === null ? null : localDay(String(row.weighed)),
      weight: number(row.weight),
      jars: number(row.jars),
      sort: text(row.sort),
      checked: Boolean(row.checked),
      hive: text(row.hive_code),
      frames: number(row.frames),
      apiary: text(row.name),
      town: text(row.town),
    }));
  }, 120_000);
  afterAll(async () => {
    expect(await app.stop()).toBe(0);
    await project.remove();
  });

  it("give what the same rows give in memory, in groups, as pivots, and for the rows in sight only", async () => {
    const chance = new Chance(20);
    const pick = <Value>(of: readonly Value[]) => of[chance.below(of.length)] as Value;
    for (let round = 0; round < 24; round++) {
      const by = Array.from({ length: chance.below(4) }, () => pick(dimensions));
      const across = chance.below(2) === 0 ? pick(dimensions) : undefined;
      const shows = Array.from({ length: 1 + chance.below(3) }, () => {
        const kind = pick(["count", "sum", "average", "smallest", "largest"]);
        return kind === "count" ? kind : `${kind}:${pick(Object.keys(values))}`;
      });
      const query = new URLSearchParams([
        ["layout", "report"],
        ...by.map(([text]): [string, string] => ["by", text]),
        ...shows.map((show): [string, string] => ["show", show]),
        ...(across ? [["across", across[0]] as [string, string]] : []),
        ["only", "jars is empty or jars < 8"],
      ]);
      const [visitor, seen] = pick([
        [office, rows],
        [guest, rows.filter(({ sort }) => sort === "forest")],
      ] as const);
      const kept = seen.filter(({ jars }) => jars === null || jars < 8);
      const { html } = await visitor.get(`/harvests?${query}`);
      expectReport(String(query), html, kept, { by, across, shows, values });
    }
  }, 120_000);

  it("lead from each figure to the rows behind it", async () => {
    for (const by of [
      "hive.apiary",
      "sort",
      "checked",
      "jars % 3",
      "date:week",
      "date:quarter",
      "weighed:month",
      "weighed:day",
      "hive.apiary.town",
    ]) {
      const lines = linesOf(
        (await office.get(`/harvests?layout=report&across=date:year&by=${encodeURIComponent(by)}`))
          .html,
      );
      expect([by, lines.length > 2]).toEqual([by, true]);
      for (const { path, cells, links } of lines.slice(0, 5).concat(lines.slice(-1))) {
        const counts = cells.filter((cell) => cell !== "");
        expect(links).toHaveLength(counts.length);
        for (const [at, href] of links.entries()) {
          const { html } = await office.get(href);
          expect([by, path, href, textOf(html)]).toEqual([
            by,
            path,
            href,
            expect.stringMatching(new RegExp(`\\b${counts[at]} harvests?\\b`)),
          ]);
        }
      }
    }
  }, 120_000);

  it("tell the share of the whole, and the change against the group before", async () => {
    const path = "/harvests?layout=report&by=date:year&show=sum:weight";
    const lines = linesOf(
      (await office.get(`${path}&show=sum:weight:share&show=sum:weight:change&show=count:share`))
        .html,
    );
    const sums = lines.map(({ cells }) => Number((cells[0] ?? "").replaceAll(",", "")));
    const whole = sums.at(-1) ?? 0;
    for (const [at, { cells }] of lines.entries()) {
      const [, share = "", change = "", counted = ""] = cells;
      expect(Number.parseFloat(share)).toBeCloseTo((100 * (sums[at] ?? 0)) / whole, 0);
      const before = at === 0 || at === lines.length - 1 ? undefined : sums[at - 1];
      if (before === undefined) expect(change).toBe("");
      else {
        const wanted = Math.round(((sums[at] ?? 0) / before - 1) * 100);
        expect(Math.abs(Number.parseFloat(change) - wanted)).toBeLessThanOrEqual(1);
      }
      expect(counted).toMatch(/^\d+(\.\d)?%$/);
    }
    // Beside each other, years are compared with the year before; the first has none, nor has the whole.
    const pivot = (
      await office.get(
        `/harvests?layout=report&by=sort&across=date:year&show=sum:weight&show=sum:weight:change`,
      )
    ).html;
    const [first] = linesOf(pivot);
    expect(first?.cells).toHaveLength(2 * 3);
    const [one = "", two = "", change = ""] = first?.cells ?? [];
    const number = (text: string) => Number.parseFloat(text.replaceAll(",", ""));
    const wanted = (number(two) / number(one) - 1) * 100;
    expect(Math.abs(number(change) - wanted)).toBeLessThan(1);
  });

  it("call and write figures as they are asked to", async () => {
    const query = new URLSearchParams([
      ["layout", "report"],
      ["show", "sum:weight * 2"],
      ["show", "average:jars"],
      ["show", "count"],
      ["named", "1:Double <b>"],
      ["format", "1:money"],
      ["format", "2:0"],
      ["format", "3:rows"],
    ]);
    const { html } = await office.get(`/harvests?${query}`);
    expect(html).toContain("Double &lt;b&gt;");
    const [{ cells } = { cells: [] }] = linesOf(html);
    expect(cells).toEqual([
      expect.stringMatching(/^€[\d,]+\.\d\d$/),
      expect.stringMatching(/^\d$/),
      `${rows.length} rows`,
    ]);
  });

  it("have blanks or zeros in a pivot where there are no rows", async () => {
    const path =
      "/harvests?layout=report&by=date:month&across=hive&show=sum:weight&show=average:weight";
    const [blank, zero] = await Promise.all(
      ["", "&blanks=zero"].map(async (more) => linesOf((await office.get(path + more)).html)),
    );
    const cells = (lines: typeof blank) => (lines ?? []).flatMap((line) => line.cells);
    const blanks = (lines: typeof blank, figure: 0 | 1) =>
      cells(lines).filter((cell, at) => at % 2 === figure && cell === "").length;
    expect(blanks(blank, 0)).toBeGreaterThan(10);
    expect(blanks(zero, 0)).toBe(0);
    // There is no average of nothing.
    expect(blanks(zero, 1)).toBe(blanks(blank, 1));
  });

  it("ask for what they are of, and lists are filtered along references", async () => {
    const path =
      "/harvests?layout=report&by=hive.apiary&ask=date&ask=sort&ask=hive.apiary&ask=weigth";
    const { html } = await office.get(path);
    const [form = ""] = /<form class="report-asked"[\s\S]*?<\/form>/.exec(html) ?? [];
    const names = [...form.matchAll(/<(?:select|input class)[^>]*name="([^"]*)"/g)].map(
      ([, name]) => name,
    );
    expect(names).toEqual(["date.from", "date.to", "sort.", "where.hive.apiary"]);
    const [, id = "", apiary = ""] = /<option value="(\d+)">([^<]*)<\/option>/.exec(form) ?? [];
    const asked = `${path}&where.hive.apiary=${id}&date.from=2025-03-01&sort.=forest`;
    const kept = rows.filter((row) => row.apiary === apiary && row.date >= "2025-03-01");
    // A field that is called as what lists read themselves has a dot behind its name.
    for (const [query, wanted] of [
      [`where.hive.apiary=${id}&date.from=2025-03-01`, kept],
      [
        `where.hive.apiary=${id}&sort.=forest`,
        rows.filter((row) => row.apiary === apiary && row.sort === "forest"),
      ],
      ["where.hive.apiary=0", []],
      ["where.hive.apiary=x", []],
      ["where.nest=1", []],
      ["where.hive.code=1", []],
    ] as const) {
      const page = await office.get(`/harvests?${query}`);
      const count = /(\d+) harvests?/.exec(textOf(page.html))?.[1] ?? "0";
      expect([query, page.status, Number(count)]).toEqual([query, 200, wanted.length]);
    }
    expect(textOf((await office.get(`/harvests?where.hive.apiary=${id}`)).html)).toContain(
      `Hive · Apiary: ${apiary}`,
    );
    expect((await office.get(asked)).status).toBe(200);
  });

  it("highlight the lowest groups, and what is beyond a number", async () => {
    const path = "/harvests?layout=report&by=date:month&show=sum:weight&order=-1";
    const marked = (html: string, tag: string) => [
      ...html.matchAll(new RegExp(`<${tag}[^>]*data-color="pink"[^>]*>([\\s\\S]*?)</${tag}>`, "g")),
    ];
    const lowest = (await office.get(`${path}&mark=lowest:3`)).html;
    const sums = linesOf(lowest)
      .slice(0, -1)
      .map(({ cells }) => Number(cells[0]));
    const found = marked(lowest, "tr").map(([line]) =>
      Number(linesOf(`<table class="table report-table">${line}</table>`)[0]?.cells[0]),
    );
    expect(found).toEqual(sums.slice(-3));
    expect(lowest).toContain("(among the 3 lowest)");
    const below = (await office.get(`${path}&mark=below:100`)).html;
    expect(marked(below, "td")).toHaveLength(sums.filter((sum) => sum < 100).length);
    for (const wrong of ["lowest:x", "9:lowest:3", "weakest:3", "below:1e9"])
      expect((await office.get(`${path}&mark=${wrong}`)).html).not.toContain('data-color="pink"');
  });

  it("are had as files, with what they show, by whoever may export", async () => {
    const query = "?layout=report&by=hive.apiary&by=sort&show=sum:weight&show=count:share";
    const csv = (await office.get(`/harvests/export/report.csv${query}`)).html.trim().split("\r\n");
    const groups = new Set(rows.map(({ apiary, sort }) => `${apiary} ${sort}`));
    expect(csv).toHaveLength(1 + groups.size);
    const sum = csv.slice(1).reduce((all, line) => all + Number(line.split(",").at(-2)), 0);
    expect(sum).toBeCloseTo(
      rows.reduce((all, { weight }) => all + (weight ?? 0), 0),
      1,
    );
    for (const [end, type, start] of [
      ["report.xlsx", "spreadsheetml", "PK"],
      ["report.pdf", "application/pdf", "%PDF"],
      ["picture.svg", "image/svg+xml", "<svg xmlns="],
      ["picture.png", "image/png", "\ufffdPNG"],
    ] as const) {
      const file = await office.get(`/harvests/export/${end}${query}&drawn=ring`);
      expect([end, file.status, file.headers.get("content-type")]).toEqual([
        end,
        200,
        expect.stringContaining(type),
      ]);
      expect([end, file.html.slice(0, start.length)]).toEqual([end, start]);
      expect((await guest.get(`/harvests/export/${end}${query}`)).status).toBe(403);
    }
    const picture = (
      await office.get(`/harvests/export/picture.svg${query}&drawn=bars&across=date:year`)
    ).html;
    expect(picture).not.toMatch(/<a |var\(|NaN|<b>/);
    expect(picture).toContain(">2025</text>");
    expect((await office.get(`/harvests/export/report.csv?layout=report&by=weigth`)).status).toBe(
      404,
    );
  });

  it("of the model are found by the groups that they are for, in the list and in the menu", async () => {
    const links = (html: string) => [...html.matchAll(/<a [^>]*>For the office<\/a>/g)].length;
    expect(links((await office.get("/harvests")).html)).toBe(3);
    expect(links((await guest.get("/harvests")).html)).toBe(0);
  });

  it("are ordered by a figure, the first ones shown and the others together", async () => {
    const path = "/harvests?layout=report&by=hive.apiary&show=sum:weight&order=-1";
    const all = linesOf((await office.get(path)).html);
    const numbers = all.slice(0, -1).map(({ cells }) => Number(cells[0]));
    expect(numbers).toEqual(numbers.toSorted((a, b) => b - a));
    const first = linesOf((await office.get(`${path}&first=2`)).html);
    expect(first.map(({ path }) => path[0])).toEqual([
      ...all.slice(0, 2).map(({ path }) => path[0]),
      "Other",
      "Total",
    ]);
    const others = numbers.slice(2).reduce((sum, number) => sum + number, 0);
    expect(Number(first[2]?.cells[0])).toBeCloseTo(others, 1);
    expect(first.at(-1)?.cells).toEqual(all.at(-1)?.cells);
  });

  it("are drawn, each part with its words and its rows", async () => {
    for (const drawn of ["bars", "columns", "line", "area", "ring", "scatter"]) {
      const { html } = await office.get(
        `/harvests?layout=report&by=date:month&across=sort&show=count&show=sum:weight&drawn=${drawn}`,
      );
      const chart =
        /<figure class="chart">[\s\S]*?<\/figure>|<div class="ring">[\s\S]*?<\/div>/.exec(
          html,
        )?.[0] ?? "";
      const links = [...chart.matchAll(/<a href="([^"]*)"/g)].map(([, href = ""]) =>
        href.replaceAll("&amp;", "&"),
      );
      expect([drawn, links.length > 5]).toEqual([drawn, true]);
      expect(chart).not.toMatch(/NaN|undefined|style=|<b>/);
      expect((await office.get(links[0] ?? "")).status).toBe(200);
      expect(linesOf(html).length).toBeGreaterThan(5);
    }
  });

  it("are drawn of no rows, and of one", async () => {
    for (const drawn of ["table", "bars", "columns", "line", "area", "ring", "scatter", "trend"]) {
      for (const only of ["weight > 1000", "id = 1"]) {
        const query = new URLSearchParams({ layout: "report", by: "date:month", only, drawn });
        const { status, html } = await office.get(`/harvests?${query}&show=sum:weight&show=count`);
        expect([drawn, only, status]).toEqual([drawn, only, 200]);
        expect(html).not.toMatch(/NaN|undefined|Infinity/);
        if (drawn === "table" || drawn === "trend") continue;
        const picture = await office.get(`/harvests/export/picture.svg?${query}&show=sum:weight`);
        expect([drawn, only, picture.status, picture.html]).toEqual([
          drawn,
          only,
          200,
          expect.stringMatching(/^<svg xmlns="[^"]*" width[\s\S]*<\/svg>\n$/),
        ]);
      }
    }
  });

  it("make nothing of what makes no sense, and keep the rest", async () => {
    const path = "/harvests?layout=report&by=sort&show=sum:weight";
    const usual = linesOf((await office.get(path)).html);
    for (const wrong of [
      "named=1:",
      `named=1:${"x".repeat(99)}`,
      "named=9:X",
      `format=1:${"9".repeat(99)}`,
      `ask=${"x".repeat(600)}`,
      "ask=%20",
      "first=-1",
      "first=1e9",
      "order=9",
      "drawn=pie",
      `by=${"x".repeat(600)}`,
      "show=total:weight",
      "across=",
    ]) {
      const found = linesOf((await office.get(`${path}&${wrong}`)).html);
      expect([wrong, found.map(({ path }) => path)]).toEqual([
        wrong,
        usual.map(({ path }) => path),
      ]);
    }
  });

  it("are put together in a form, which leads to an address, and are kept as views", async () => {
    const form =
      "/harvests?layout=report&_by=hive.apiary&_by=&_figure=count&_of=&_figure=sum&_of=weight&_figure=&_of=&_across=&order=&first=&drawn=&only=";
    const { path, html } = await office.get(form);
    expect(path).toBe("/harvests?layout=report&by=hive.apiary&show=count&show=sum%3Aweight");
    expect(linesOf(html).at(-1)?.cells[0]).toBe(String(rows.length));
  });

  it("refuse formulas that make no sense or know too much, and run none of what was typed", async () => {
    const deep = `${"(".repeat(200)}1${")".repeat(200)}`;
    for (const [formula, said] of [
      ["weigth", "did you mean `weight`?"],
      ["sort", "a number was expected here"],
      ["weight +", /expected|missing|end/],
      ["'; drop table harvest; --", /./],
      ['"\'); drop table harvest; --"', "a number was expected here"],
      ["secret", "has no field `secret`"],
      [deep, /./],
      ["1 + ".repeat(300), "500 characters"],
      ["__proto__", "has no field"],
      ["constructor.name", "has no field"],
      ["hive.version.x", /./],
    ] as const) {
      const query = new URLSearchParams({
        layout: "report",
        show: `sum:${formula}`,
        only: formula,
      });
      const { status, html } = await guest.get(`/harvests?${query}`);
      const alert = textOf(/<p class="alert[\s\S]*?<\/p>/.exec(html)?.[0] ?? "");
      expect([formula, status]).toEqual([formula, 200]);
      if (formula.length < 400)
        expect([formula, alert]).toEqual([formula, expect.stringMatching(said)]);
      const list = await guest.get(`/harvests?${new URLSearchParams({ only: formula })}`);
      expect(textOf(list.html)).toMatch(/Can’t be read:[\s\S]*No harvests match/);
    }
    const text = `hive.code = "' or 1 = 1 --" or hive.code = "a""b" or hive.code = "H-001"`;
    const { html } = await office.get(`/harvests?${new URLSearchParams({ only: text })}`);
    expect(textOf(html)).not.toContain("Can’t be read");
    expect(await project.rows("select id from harvest")).toHaveLength(rows.length);
  });
});

describe("periods", () => {
  it("are whole, without gaps, whatever the year", () => {
    for (const per of periods) {
      for (let day = "2023-12-20"; day < "2025-03-03"; day = dayAfter(day, 1)) {
        const key = periodOf(per, day);
        const { from, to } = daysIn(per, key);
        expect([per, day, from <= day && day <= to]).toEqual([per, day, true]);
        expect(periodOf(per, from)).toBe(key);
        expect(periodOf(per, to)).toBe(key);
        expect(periodOf(per, dayAfter(to, 1))).not.toBe(key);
      }
    }
  });
});

describe.each(kinds)("a kept report over $kind", (kind) => {
  it("is sent by mail once a month to those who find it, each with what they see", async () => {
    const project = projectOn(kind, model);
    const app = await running(["rise"], project.folder);
    const office = await Visitor.of(app.address, "all");
    const guest = await Visitor.of(app.address, "some");
    const query = "layout=report&by=sort&show=count&show=sum:weight";
    await office.post(`/harvests/views?${query}`, {
      do: "keep",
      name: "Honey <b>",
      group: "everyone",
      monthly: "yes",
      menu: "yes",
    });
    const own = { do: "keep", name: "Own", group: "", menu: "yes" };
    await office.post(`/harvests/views?${query}&show=average:weight`, own);
    const menuOf = async (who: Visitor, path: string) => {
      const [, menu = ""] =
        /<ul class="menu">([\s\S]*?)<\/ul>/.exec((await who.get(path)).html) ?? [];
      return menu;
    };
    expect(await menuOf(office, "/")).toMatch(/Honey &lt;b&gt;<[\s\S]*Own</);
    expect(await menuOf(guest, "/")).toContain("Honey &lt;b&gt;");
    expect(await menuOf(guest, "/")).not.toContain("Own");
    const [, here] = /<a href="(\/harvests\?[^"]*)">Honey/.exec(await menuOf(office, "/")) ?? [];
    expect(await menuOf(office, String(here).replaceAll("&amp;", "&"))).toMatch(
      /aria-current="page">Honey/,
    );
    expect(textOf((await office.get("/harvests/views")).html)).toContain("by email each month");
    const letters = () =>
      project.rows("select recipient, subject, body from levadura_mail order by id");
    const returning = kind.kind === "mariadb" ? "" : " returning id";
    const due = `update levadura_view set monthly = '2020-01' where monthly is not null${returning}`;
    await project.rows(due);
    // What is due is done at the end, too.
    expect(await app.stop()).toBe(0);
    const sent = await letters();
    expect(sent.map(({ recipient, subject }) => [recipient, subject])).toEqual([
      ["all@sample.invalid", "Honey <b> · Hive Book"],
      ["some@sample.invalid", "Honey <b> · Hive Book"],
    ]);
    const [forest] = await project.rows<{ n: unknown }>(
      "select count(*) as n from harvest where sort = 'forest'",
    );
    const [whole, part] = sent.map(({ body }) => String(body));
    expect(whole).toContain(`Forest: Harvests ${forest?.n}`);
    expect(whole).toContain("Total: Harvests 160");
    expect(part).toContain(`Total: Harvests ${forest?.n}`);
    expect(part).not.toContain("Blossom");
    // Not again in the same month.
    const again = await running(["rise"], project.folder);
    expect(await again.stop()).toBe(0);
    expect(await letters()).toHaveLength(2);
    await project.remove();
  }, 120_000);
});

describe("levadura report", () => {
  const open = `levadura: 1
app: {name: Hive Book, database: sqlite}
entities:
  Apiary:
    fields: {name: "text, required"}
  Hive:
    fields: {code: "text, required", apiary: one Apiary}
  Harvest:
    fields:
      hive: one Hive
      weight: decimal 0..80
`;

  it("writes what an address says into the model, which is then found above the list", async () => {
    const folder = projectWith(open);
    const address =
      "http://127.0.0.1:3000/harvests?layout=report&by=hive.apiary&show=sum:weight&order=-1&page=2";
    const { status, out } = await levadura(["report", address, "Best <b>"], folder);
    expect([status, out]).toEqual([0, expect.stringContaining("Added the report “Best <b>”")]);
    const app = await running(["rise"], folder);
    const { html } = await new Visitor(app.address).get("/harvests");
    const [, href = ""] = /<a href="([^"]*)"[^>]*>Best &lt;b&gt;</.exec(html) ?? [];
    expect(href).toBe(
      "/harvests?layout=report&amp;by=hive.apiary&amp;show=sum%3Aweight&amp;order=-1",
    );
    expect(await app.stop()).toBe(0);
  });

  it("writes nothing where it can't", async () => {
    const folder = projectWith(open);
    for (const [address, status, said] of [
      ["/harvests", 2, "isn't the address of a report"],
      ["http://[", 2, "isn't the address of a report"],
      ["/nests?layout=report", 2, "no entity has its list at /nests"],
      ["/harvests?layout=report&by=weigth", 1, "did you mean `weight`?"],
      ["/harvests?layout=report&only=weight", 1, "a condition was expected"],
    ] as const) {
      const answer = await levadura(["report", address, "X"], folder);
      expect([address, answer.status, answer.out + answer.err]).toEqual([
        address,
        status,
        expect.stringContaining(said),
      ]);
      expect(readFileSync(join(folder, "model.yaml"), "utf8")).toBe(open);
    }
  });
});

it("a report that takes too long is stopped, and says so; the rest goes on", async () => {
  const folder = projectWith(
    `levadura: 1\nentities:\n  Visit: {title: "{note}", fields: {note: "text, required", weight: decimal}}\n`,
  );
  for (const command of [["prepare"], ["migrate"], ["seed", "--rows", "120000"], ["build"]])
    expect(await levadura(command, folder)).toMatchObject({ status: 0 });
  const app = await running(["serve"], folder, { DATABASE_STATEMENT_SECONDS: "0.05" });
  const visitor = new Visitor(app.address);
  // A dozen formulas of each row: much more work than the list, or a hundred rows, on any machine.
  const figures = Array.from(
    { length: 10 },
    (_, at) => `&show=sum:length(upper(note))*weight%2B${at}`,
  );
  const report = `/visits?layout=report&by=upper(note)&by=note${figures.join("")}`;
  const [stopped, list] = await Promise.all([visitor.get(report), visitor.get("/visits")]);
  expect([stopped.status, textOf(stopped.html)]).toEqual([
    200,
    expect.stringContaining("This took too long and was stopped"),
  ]);
  expect([list.status, textOf(list.html)]).toEqual([200, expect.stringContaining("visits")]);
  expect((await visitor.get(`${report}&only=id+<=+100`)).html).toContain("<td");
  await app.stop();
});
