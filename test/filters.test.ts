import Papa from "papaparse";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { daysOf, spans } from "../kit/store/list/spans.ts";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { Chance } from "./support/pairs.ts";
import { type Running, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: 
  name: Hive Book
  timezone: Europe/Madrid
  database: sqlite
entities:
  Apiary:
    title: "{name}"
    fields: {name: "text, required, unique"}
    seed: 5
  Keeper:
    title: "{name}"
    fields: {name: "text, required"}
    seed: 6
  Visit:
    title: "{name}"
    fields: {name: "text, required", group: many Keeper, page: one Apiary}
    seed: 12
  Hive:
    title: "{code}"
    fields:
      code: text ..12, required, unique
      status: choice active | weak | "<b>'retired'"
      sunny: boolean
      frames: integer 0..20
      weight: decimal 0..80, places 1
      price: money
      installed: date 2025-01-01..2026-12-31
      seen: datetime
      apiary: one Apiary
      keepers: many Keeper
      sort: integer 0..5
      double: "= frames * 2"
    tabs: status
    columns: [code, status, sunny, frames, weight, price, installed, seen, apiary, keepers, double]
    sort: code
    seed: 90
`;

interface Row {
  id: number;
  code: string;
  status: string | null;
  sunny: boolean | number;
  frames: number | null;
  weight: string | number | null;
  price: string | number | null;
  installed: string | null;
  seen: string | null;
  apiary_id: number | null;
  sort: number | null;
}

/** What a filter keeps, computed of rows in memory. */
type Keeps = (row: Row) => boolean;

describe.each(kinds)("filters over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let visitor: Visitor;
  let rows: Row[] = [];
  const keepers = new Map<number, number[]>();
  const today = new Date().toISOString().slice(0, 10);

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    visitor = new Visitor(app.address);
    rows = await project.rows<Row>("select * from hive order by id");
    for (const { hive_id, keeper_id } of await project.rows<{ hive_id: number; keeper_id: number }>(
      "select * from hive_keepers",
    ))
      keepers.set(hive_id, [...(keepers.get(hive_id) ?? []), keeper_id]);
  }, 60_000);
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  /** The codes that a list shows, in its order. */
  async function listed(query: URLSearchParams): Promise<string[]> {
    const { html, status } = await visitor.get(`/hives?${query}&size=200`);
    expect(status).toBe(200);
    return [...html.matchAll(/<td[^>]*><a href="\/hives\/\d+[^"]*">([^<]*)<\/a><\/td>/g)].map(
      ([, code = ""]) => code,
    );
  }

  /** Some of the filters there are, each with what it keeps. */
  function drawn(chance: Chance): Map<string, { said: [string, string][]; keeps: Keeps }> {
    const filters = new Map<string, { said: [string, string][]; keeps: Keeps }>();
    const range = (name: "frames" | "weight" | "price" | "sort", parameter: string = name) => {
      const [from, to] = [chance.below(12), 4 + chance.below(60)];
      const has = (row: Row) => row[name] !== null;
      filters.set(name, {
        said: [
          [`${parameter}.from`, String(from)],
          [`${parameter}.to`, String(to)],
        ],
        keeps: (row) => has(row) && Number(row[name]) >= from && Number(row[name]) <= to,
      });
    };
    if (chance.happens(40)) {
      const values = ["active", "weak", "<b>'retired'"].filter(() => chance.happens(60));
      if (values.length > 0)
        filters.set("status", {
          said: values.map((value) => ["status", value]),
          keeps: ({ status }) => status !== null && values.includes(status),
        });
    } else if (chance.happens(30)) {
      filters.set("status", {
        said: [["status.blank", "yes"]],
        keeps: ({ status }) => status === null,
      });
    }
    if (chance.happens(30)) {
      const yes = chance.happens(50);
      filters.set("sunny", {
        said: [["sunny", yes ? "yes" : "no"]],
        keeps: ({ sunny }) => Boolean(sunny) === yes,
      });
    }
    if (chance.happens(30)) range("frames");
    if (chance.happens(20)) range("weight");
    if (chance.happens(20)) range("price");
    // A field that is called as something that a list reads itself.
    if (chance.happens(20)) range("sort", "sort.");
    if (chance.happens(40)) {
      const from = `2025-0${1 + chance.below(9)}-1${chance.below(9)}`;
      filters.set("installed", {
        said: [["installed.from", from]],
        keeps: ({ installed }) => installed !== null && installed >= from,
      });
    } else if (chance.happens(60)) {
      const span = chance.of(spans);
      const { from = "0000", to = "9999" } = daysOf(span, today);
      filters.set("installed", {
        said: [["installed", span]],
        keeps: ({ installed }) => installed !== null && installed >= from && installed <= to,
      });
    }
    if (chance.happens(20)) {
      filters.set("seen", {
        said: [["seen.to", "2026-06-30"]],
        keeps: ({ seen }) => seen !== null && madrid(seen).slice(0, 10) <= "2026-06-30",
      });
    }
    if (chance.happens(30)) {
      const ids = [1 + chance.below(5), 1 + chance.below(5)];
      filters.set("apiary_id", {
        said: ids.map((id) => ["apiary_id", String(id)]),
        keeps: ({ apiary_id }) => ids.includes(Number(apiary_id)),
      });
    }
    if (chance.happens(30)) {
      const id = 1 + chance.below(6);
      filters.set("keepers", {
        said: [["keepers", String(id)]],
        keeps: (row) => (keepers.get(row.id) ?? []).includes(id),
      });
    } else if (chance.happens(20)) {
      filters.set("keepers", {
        said: [["keepers.blank", "yes"]],
        keeps: (row) => (keepers.get(row.id) ?? []).length === 0,
      });
    }
    return filters;
  }

  /** A moment as the clock on the wall shows it in Madrid. */
  function madrid(moment: string): string {
    return new Date(moment).toLocaleString("sv", { timeZone: "Europe/Madrid" });
  }

  it("keep the rows that they keep in memory, and count what is behind each value", async () => {
    let kept = 0;
    for (let seed = 1; seed <= 25; seed++) {
      const filters = drawn(new Chance(seed * 31));
      const query = new URLSearchParams([...filters.values()].flatMap(({ said }) => said));
      const holds = (row: Row, but = "") =>
        [...filters].every(([name, { keeps }]) => name === but || keeps(row));
      const wanted = rows.filter((row) => holds(row)).map(({ code }) => code);
      kept += wanted.length;
      expect(await listed(query), String(query)).toEqual(wanted.sort());
      const { html } = await visitor.get(`/hives/filter?${query}`);
      const counted = (name: string, value: string) =>
        Number(
          new RegExp(
            `name="${name}" value="${value.replace(/[<>']/g, ".{1,5}")}".*?class="count">(\\d+)<`,
            "s",
          ).exec(html)?.[1] ?? Number.NaN,
        );
      const others = (name: string, keeps: Keeps) =>
        rows.filter((row) => holds(row, name) && keeps(row)).length;
      for (const status of ["active", "weak", "<b>'retired'"])
        expect([String(query), status, counted("status", status)]).toEqual([
          String(query),
          status,
          others("status", (row) => row.status === status),
        ]);
      expect([String(query), counted("sunny", "yes")]).toEqual([
        String(query),
        others("sunny", ({ sunny }) => Boolean(sunny)),
      ]);
      for (const id of [1, 2, 3]) {
        const count = others("keepers", (row) => (keepers.get(row.id) ?? []).includes(id));
        if (count > 0)
          expect([String(query), id, counted("keepers", String(id))]).toEqual([
            String(query),
            id,
            count,
          ]);
      }
    }
    expect(kept).toBeGreaterThan(100);
  }, 60_000);

  it("show how numbers and days spread, in bars that lead to their rows and add up", async () => {
    const { html } = await visitor.get("/hives/filter?status=active");
    const bars = [
      ...html.matchAll(
        /<a href="(\/hives\?[^"]*installed\.from=[^"]*)" aria-label="[^"]*: (\d+)">/g,
      ),
    ];
    const active = rows.filter(({ status, installed }) => status === "active" && installed);
    expect(bars.reduce((sum, [, , count]) => sum + Number(count), 0)).toBe(active.length);
    for (const [, href = "", count] of bars.slice(0, 3)) {
      const query = new URL(href.replaceAll("&amp;", "&"), app.address).searchParams;
      expect((await listed(query)).length).toBe(Number(count));
    }
  });

  it("are shown as parts of a ring, each of which leads to its rows", async () => {
    const { html } = await visitor.get("/hives/filter?sunny=yes");
    const [, ring = ""] = /<div class="ring">(.*?)<\/div>/s.exec(html) ?? [];
    expect(ring).toContain('<path d="M');
    const parts = [...ring.matchAll(/<a href="(\/hives\?[^"]*)">[^<]*: (\d+) \([\d.]+%\)<\/a>/g)];
    expect(parts.length).toBeGreaterThan(2);
    expect(ring.match(/<path/g)).toHaveLength(parts.length);
    for (const [, href = "", count] of parts) {
      const query = new URL(href.replaceAll("&amp;", "&"), app.address).searchParams;
      expect([href, query.get("sunny")]).toEqual([href, "yes"]);
      expect([href, (await listed(query)).length]).toEqual([href, Number(count)]);
    }
    expect(html).not.toContain("<b>'retired'");
  });

  it("stand above the list, each with the way to take it out, and leave out what makes no sense", async () => {
    const { html } = await visitor.get(
      "/hives?status=active&status=%3Cb%3E%27retired%27&frames.from=3&status=%22%3E%3Cscript%3E&frames.to=x&installed=tomorrow&seen.from=2026-02-31&apiary_id=1%20or%201=1",
    );
    const chips = [...html.matchAll(/<li><a href="([^"]*)" aria-label="Take out[^"]*">(.*?) </g)];
    expect(chips.map(([, , text]) => text)).toEqual([
      "Status: Active",
      "Status: &lt;b&gt;&#39;retired&#39;",
      "Frames: from 3",
    ]);
    expect(html).not.toContain("<script>");
    const without = new URL(chips[0]?.[1]?.replaceAll("&amp;", "&") ?? "", app.address);
    expect(without.searchParams.getAll("status")).not.toContain("active");
    // The blank inputs of a form are no part of an address.
    const clean = await visitor.get("/hives?search=&frames.from=&frames.to=9&status=active");
    expect(clean.path).toBe("/hives?frames.to=9&status=active");
  });

  it("go along with an order by several columns and the size of a page", async () => {
    const codes = await listed(new URLSearchParams({ sort: "status,-frames" }));
    const order = (row: Row | undefined) => [row?.status ?? "", -(row?.frames ?? -1)] as const;
    const found = codes.map((code) => rows.find((row) => row.code === code));
    for (let at = 1; at < found.length; at++) {
      const [one, two] = [order(found[at - 1]), order(found[at])];
      if (one[0] === two[0]) expect(one[1]).toBeLessThanOrEqual(two[1]);
    }
    expect(codes.length).toBe(90);
    const { html } = await visitor.get("/hives?size=50&page=2");
    expect(html.match(/<a href="\/hives\/\d+[^"/]*">[^<]*<\/a><\/td>/g)?.length).toBe(40);
    expect(textOf(html)).toContain("Page 2 of 2");
  });

  it("come with tabs of a choice, and with sums, averages and ends of columns", async () => {
    const { html } = await visitor.get("/hives?frames.from=5&totals=yes");
    const kept = rows.filter(({ frames }) => frames !== null && frames >= 5);
    const tabs = [
      ...html.matchAll(/<a class="tab" href="[^"]*">\s*(\w+) <span class="count">(\d+)</g),
    ];
    expect(tabs.slice(0, 2).map(([, label, count]) => [label, Number(count)])).toEqual([
      ["Active", kept.filter(({ status }) => status === "active").length],
      ["Weak", kept.filter(({ status }) => status === "weak").length],
    ]);
    const frames = kept.map((row) => Number(row.frames));
    const sum = frames.reduce((all, one) => all + one, 0);
    const foot = textOf(/<tfoot>.*<\/tfoot>/s.exec(html)?.[0] ?? "");
    expect(foot).toMatch(
      new RegExp(`Sum ${sum.toLocaleString("en")} .*Smallest ${Math.min(...frames)} `),
    );
    const weights = kept.flatMap(({ weight }) => (weight === null ? [] : Number(weight)));
    const weight = Number(weights.reduce((all, one) => all + one, 0).toPrecision(12));
    expect(foot).toContain(` ${weight.toLocaleString("en")} `);
  });

  it("stay when somebody chooses columns and an order, which are in the address, too", async () => {
    const page = await visitor.get("/hives/columns?status=active");
    expect(textOf(page.html)).toContain("Columns and order of hives");
    const { path, html } = await visitor.post("/hives/columns", {
      status: "active",
      "_place.sort": "2",
      "_place.code": "1",
      "_place.created_at": "3",
      "_place.nonsense": "4",
      "_place.frames": "",
      _by: ["apiary", ""],
      _way: ["-", ""],
    });
    expect(path).toBe("/hives?status=active&columns=code%2Csort%2Ccreated_at&sort=-apiary");
    const heading = textOf(/<thead>.*?<\/thead>/s.exec(html)?.[0] ?? "").trim();
    expect(heading).toMatch(/^Tick Code Sort (Created|Added)/);
    const csv = await visitor.get(`/hives/export/csv?columns=frames,code`);
    expect(csv.html.split("\r\n")[0]).toBe("Frames,Code");
  });

  it("go along with groups, each with its number of rows and its sums, also over several pages", async () => {
    const { html } = await visitor.get("/hives?frames.from=2&group=status");
    const kept = rows.filter(({ frames }) => frames !== null && frames >= 2);
    const headings = [...html.matchAll(/<tr class="group">.*?<\/tr>/gs)].map(([row]) =>
      textOf(row),
    );
    const found = new Set<string>();
    for (const heading of headings) {
      const [, label = "", count = "", sum = ""] =
        /^\s*(.*?) · (\d+) hives? .*Frames ([\d,]+)/.exec(heading) ?? [];
      const status = { Active: "active", Weak: "weak", "Nothing filled in": null }[label.trim()];
      const own = kept.filter(
        (row) => row.status === (status === undefined ? "<b>'retired'" : status),
      );
      expect([label, Number(count), sum]).toEqual([
        label,
        own.length,
        own.reduce((all, row) => all + Number(row.frames), 0).toLocaleString("en"),
      ]);
      found.add(label);
    }
    expect(found.size).toBe(headings.length);
    expect(found.size).toBeGreaterThan(0);
    const sunny = await visitor.get("/hives?group=sunny&size=200");
    const [no, yes] = [false, true].map((each) =>
      rows.filter((row) => Boolean(row.sunny) === each),
    );
    expect(textOf(sunny.html)).toMatch(
      new RegExp(`No · ${no?.length} hives .*Yes · ${yes?.length} hives`),
    );
    const grouped = await listed(new URLSearchParams("group=status&sort=-frames"));
    const csv = Papa.parse<{ Code: string }>(
      (await visitor.get("/hives/export/csv?group=status&sort=-frames")).html,
      { header: true, skipEmptyLines: true },
    );
    expect(csv.data.map(({ Code }) => Code)).toEqual(grouped);
    // What can't be grouped by is left out.
    expect((await visitor.get("/hives?group=keepers")).html).not.toContain('class="group"');
  });

  it("are told from what a list reads itself, also in the lists of related records", async () => {
    const links = await project.rows<{ visit_id: number; keeper_id: number }>(
      "select visit_id, keeper_id from visit_group",
    );
    const { keeper_id: keeper = 0 } = links[0] ?? {};
    const its = new Set(
      links.filter((each) => each.keeper_id === keeper).map((each) => each.visit_id),
    );
    const { html } = await visitor.get(`/keepers/${keeper}`);
    const listed = [...html.matchAll(/href="\/visits\/(\d+)[^"/]*"/g)].map(([, id]) => Number(id));
    expect(new Set(listed)).toEqual(its);
    const whole = await visitor.get(`/visits?group.=${keeper}&size=200`);
    const all = [...whole.html.matchAll(/href="\/visits\/(\d+)[^"/]*"/g)].map(([, id]) =>
      Number(id),
    );
    expect(new Set(all)).toEqual(its);
    expect(its.size).toBeLessThan(12);
  });

  it("find words everywhere, by entity", async () => {
    const [keeper] = await project.rows<{ id: number; name: string }>(
      "select id, name from keeper order by id",
    );
    const words = keeper?.name ?? "";
    const { html } = await visitor.get(`/-/find?${new URLSearchParams({ words })}`);
    expect(textOf(html)).toContain(`Keepers ${words}`);
    // They stay in the box, to be changed.
    expect(html).toContain(`name="words" value="${words}"`);
    const hostile = await visitor.get("/-/find?words=%3Cscript%3E%25_%27%22");
    expect([hostile.status, hostile.html.includes("<script>")]).toEqual([200, false]);
    expect(textOf(hostile.html)).toContain("No record has");
  });

  it("find words in the titles of what records refer to", async () => {
    const [apiary] = await project.rows<{ id: number; name: string }>(
      "select id, name from apiary order by id",
    );
    const word = apiary?.name.split(" ")[0] ?? "";
    const found = await listed(new URLSearchParams({ search: word }));
    const there = rows.filter(({ apiary_id }) => apiary_id === apiary?.id).map(({ code }) => code);
    expect(there.length).toBeGreaterThan(0);
    expect(found).toEqual(expect.arrayContaining(there));
  });

  it("hold for what is exported: as CSV, workbook, PDF and page, in the list's own order", async () => {
    // What a program for spreadsheets would take for a formula, becomes a text.
    const hostile = { code: "=1+1", status: "weak", frames: "3" };
    expect((await visitor.submit("/hives/new", hostile)).status).toBe(200);
    const query = "status=active&status=weak&sort=-frames";
    const shown = await listed(new URLSearchParams(query));
    const csv = await visitor.get(`/hives/export/csv?${query}`);
    expect(csv.headers.get("content-disposition")).toMatch(/^attachment; filename="Hives .*\.csv"/);
    const { data } = Papa.parse<Record<string, string>>(csv.html.replace(/^\ufeff/, ""), {
      header: true,
      skipEmptyLines: true,
    });
    expect(data.map(({ Code }) => Code?.replace(/^'/, ""))).toEqual(shown);
    expect(data.map(({ Code }) => Code)).toContain("'=1+1");
    const of = (code: string) => rows.find((row) => row.code === code);
    for (const line of data.slice(1, 20)) {
      const row = of(line.Code ?? "");
      if (!row) continue;
      expect([line.Installed, line.Frames, line.Sunny]).toEqual([
        row.installed ?? "",
        row.frames === null ? "" : String(row.frames),
        row.sunny ? "Yes" : "No",
      ]);
      expect(line.Seen).toBe(row.seen === null ? "" : madrid(row.seen).slice(0, 16));
    }
    for (const [format, start] of [
      ["xlsx", "PK"],
      ["pdf", "%PDF"],
      ["print", "<!DOCTYPE"],
    ])
      expect(
        (await visitor.get(`/hives/export/${format}?${query}`)).html.startsWith(start ?? ""),
      ).toBe(true);
    expect(textOf((await visitor.get(`/hives/export?${query}`)).html)).toContain(
      `${shown.length} hives`,
    );
  });

  it("are what is changed or deleted at once: those that somebody agreed to, each as its form would", async () => {
    const all = await project.rows<Row>("select * from hive order by id");
    const weak = all.filter(({ status }) => status === "weak");
    const page = await visitor.get("/hives/bulk/change?status=weak");
    expect(textOf(page.html)).toContain(`Change ${weak.length} hives`);
    const here = "/hives/bulk/change?status=weak&_field=frames";
    expect((await visitor.get(here)).html).toContain('name="frames"');
    const odd = await visitor.post(here, { _those: "others", frames: "7" });
    expect([odd.status, textOf(odd.html).includes("changed since you looked")]).toEqual([
      409,
      true,
    ]);
    const wrong = await visitor.submit(here, { frames: "99" });
    expect(textOf(wrong.html)).toContain(`Left as they are: ${weak.length} hives`);
    const frames = () =>
      project.rows<{ frames: number }>("select distinct frames from hive where status = 'weak'");
    expect(await frames()).not.toEqual([{ frames: 7 }]);
    const done = await visitor.submit(here, { frames: "7" });
    expect(textOf(done.html)).toContain(`Changed: ${weak.length} hives`);
    expect(await frames()).toEqual([{ frames: 7 }]);
    // What would be the same in two records is saved in the first of them.
    const two = `/hives/bulk/change?id=${weak[0]?.id}&id=${weak[1]?.id}&_field=code`;
    const same = await visitor.submit(two, { code: "SAME" });
    expect(textOf(same.html)).toMatch(/Changed: 1 hive .*Left as they are: 1 hive/);
    expect((await visitor.post("/hives/bulk/change?id=1&_field=id", {})).status).toBe(404);
    const gone = await visitor.submit("/hives/bulk/delete?id=2&id=3");
    expect(textOf(gone.html)).toContain("Deleted: 2 hives");
    expect(await project.rows("select id from hive where id in (2, 3)")).toEqual([]);
    const used = await visitor.submit("/apiaries/bulk/delete?id=1");
    expect(textOf(used.html)).toContain("It is in use.");
  });
});
