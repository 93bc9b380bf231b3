import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { daysOf } from "../kit/store/list/spans.ts";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { type Running, running } from "./support/program.ts";
import { hiddenInputs, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite}
users:
  groups: {office: Office, guests: Guests}
  rights: {office: everything, guests: see}
entities:
  Apiary:
    title: "{name}"
    fields: {name: "text, required, unique"}
    seed: 3
  Hive:
    title: "{code}"
    fields:
      code: text ..12, required, unique
      apiary: one Apiary, required
      status: choice active | weak
      check_due: date 2024-01-01..2035-01-01
      check_done: date
    tabs: status
    views:
      Weak ones <b>: status=weak
    seed: 10
  Harvest:
    title: "{date}"
    fields:
      hive: one Hive, required
      date: date 2024-11-01..today, required
      weight: decimal 0..80, required, unit kg, places 1
      sort: choice blossom | forest
    sort: date descending
    rights: {office: everything, guests: [see where sort = "forest", hide hive]}
    seed: 200
`;

interface Panel {
  title: string;
  kind: string;
  text: string;
  /** The list that it is of. */
  href: string;
  html: string;
}

function panelsIn(html: string): Panel[] {
  return [...html.matchAll(/<section class="panel" data-kind="(\w+)"[\s\S]*?<\/section>/g)].map(
    ([panel, kind = ""]) => {
      const [, href = "", title = ""] =
        /<a class="panel-link" href="([^"]*)">([\s\S]*?)<\/a>/.exec(panel) ?? [];
      return {
        kind,
        title: textOf(title).trim(),
        text: textOf(panel),
        href: href.replaceAll("&amp;", "&"),
        html: panel,
      };
    },
  );
}

const titles = (html: string) => panelsIn(html).map(({ title }) => title);

describe.each(kinds)("the start page over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  let guest: Visitor;
  let administrator: Visitor;
  const today = new Date().toISOString().slice(0, 10);

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "office");
    guest = await Visitor.of(app.address, "guests");
    administrator = await Visitor.of(app.address, "administrators");
  }, 120_000);
  afterAll(async () => {
    expect(await app.stop()).toBe(0);
    await project.remove();
  });

  /** What the harvests of a period weigh, of those that a condition keeps. */
  async function weightOf(span: Parameters<typeof daysOf>[0], and = "1 = 1") {
    const { from, to } = daysOf(span, today);
    const [row] = await project.rows<{ weight: unknown }>(
      `select sum(weight) as weight from harvest join hive on hive.id = hive_id where date >= '${from}' and date <= '${to}' and ${and}`,
    );
    return Number(row?.weight ?? 0);
  }

  function figureOf(html: string): number {
    const [, text = ""] = /<a class="trend-figure"[^>]*>([\s\S]*?)<\/a>/.exec(html) ?? [];
    return Number(textOf(text).replace(/[^\d.]/g, ""));
  }

  it("is made from the model: figures, charts, what is late, and what was last", async () => {
    const { html } = await office.get("/");
    const panels = panelsIn(html);
    expect(panels.map(({ title, kind }) => [title, kind])).toEqual([
      ["Weight by month", "figure"],
      ["Weight by month by sort", "chart"],
      ["Weight by apiary", "chart"],
      ["Hives by status", "chart"],
      ["Harvests by sort", "chart"],
      ["Hives", "rows"],
      ["Latest harvests", "rows"],
    ]);
    expect(figureOf(panels[0]?.html ?? "")).toBeCloseTo(await weightOf("last-12-months"), 1);
    expect(panels[5]?.href).toContain("check_due=past&check_done.blank=yes");
    for (const { href, html: panel } of panels) {
      const links = [...panel.matchAll(/ href="([^"]*)"/g)].map(([, link = ""]) =>
        link.replaceAll("&amp;", "&"),
      );
      for (const link of [href, ...links.slice(0, 4)])
        expect([link, (await office.get(link)).status]).toEqual([link, 200]);
      expect(panel).not.toMatch(/NaN|undefined|style=/);
    }
  });

  it("is filtered as a whole, by a period and by the records that its parts lead to", async () => {
    const { html } = await office.get("/?period=last-year&record=2");
    const [trend, ...others] = panelsIn(html);
    const weight = await weightOf("last-year", "apiary_id = 2");
    expect(figureOf(trend?.html ?? "")).toBeCloseTo(weight, 1);
    const hives = others.find(({ title }) => title === "Hives by status");
    // How many hives are weak is no matter of a year.
    expect(hives?.href).toContain("drawn=ring&where.apiary=2");
    expect(hives?.text).toContain("Not filtered by all of the above.");
    const [count] = await project.rows<{ n: unknown }>(
      `select count(*) as n from harvest join hive on hive.id = hive_id where apiary_id = 2 and date like '${Number(today.slice(0, 4)) - 1}%'`.replace(
        "date like",
        kind.server ? "cast(date as char(10)) like" : "date like",
      ),
    );
    expect(
      textOf((await office.get((trend?.href ?? "").replace("layout=report&", ""))).html),
    ).toMatch(new RegExp(`\\b${count?.n} harvests?\\b`));
    for (const wrong of ["?period=never&record=x", "?record=999999", "?period=__proto__"])
      expect((await office.get(`/${wrong}`)).status).toBe(200);
  });

  it("shows nobody more than they may see", async () => {
    const { html } = await guest.get("/");
    // What leads through a hidden field isn't there, and what is counts the rows in sight.
    expect(titles(html)).not.toContain("Weight by apiary");
    expect(figureOf(html)).toBeCloseTo(await weightOf("last-12-months", "sort = 'forest'"), 1);
    const [, filtered = ""] = /<select[^>]*name="record"([\s\S]*?)<\/select>/.exec(html) ?? [];
    expect(filtered).toContain("<option");
    const narrowed = panelsIn((await guest.get("/?record=2")).html)[0];
    expect(narrowed?.text).toContain("Not filtered by all of the above.");
  });

  it("is put together by each person, and by an administrator for everyone", async () => {
    const before = titles((await guest.get("/")).html);
    const arrange = "/-/dashboard";
    await guest.post(arrange, { record: "1", after: "2" });
    const moved = [before[1], before[0], ...before.slice(2)];
    expect(titles((await guest.get("/")).html)).toEqual(moved);
    await guest.post(arrange, { record: "1", do: "remove" });
    // Adding begins at a list.
    const list = (await guest.get("/hives?status=weak")).html;
    const [, add = ""] = /href="(\/-\/dashboard\?[^"]*)"/.exec(list) ?? [];
    const page = add.replaceAll("&amp;", "&");
    const { html } = await guest.get(page);
    await guest.post(arrange, { ...hiddenInputs(html), name: "Weak <i>", do: "add" });
    const own = (await guest.get("/")).html;
    expect(titles(own)).toEqual([...moved.slice(1), "Weak <i>"]);
    expect(own).not.toContain("<i>");
    // Others still have theirs, and only an administrator gives theirs to everyone.
    expect(titles((await office.get("/")).html)).toHaveLength(7);
    expect((await guest.post(arrange, { do: "share" })).status).toBe(404);
    await administrator.post(arrange, { record: "1", do: "remove" });
    await administrator.post(arrange, { do: "share" });
    expect(titles((await office.get("/")).html)).toHaveLength(6);
    expect(titles((await guest.get("/")).html)).toEqual(titles(own));
    // Nobody gives away a page that they don't have.
    await administrator.post(arrange, { do: "share" });
    expect(titles((await office.get("/")).html)).toHaveLength(6);
    await guest.post(arrange, { do: "back" });
    expect(titles((await guest.get("/")).html)).toEqual(
      before.filter((title) => title !== before[0]),
    );
    await administrator.post(arrange, { do: "usual" });
    expect(titles((await guest.get("/")).html)).toEqual(before);
  });

  it("takes nothing that makes no sense, and not more than a page can show", async () => {
    const arrange = "/-/dashboard";
    const page = await office.get(`${arrange}?of=levadura_account&query=x`);
    expect([page.status, page.html.includes('value="add"')]).toEqual([200, false]);
    const senseless: Record<string, string>[] = [
      { do: "add", of: "levadura_account", query: "" },
      { do: "add", of: "hive", query: "x".repeat(2001) },
      { do: "remove", record: "99" },
      { record: "1", before: "1" },
      { record: "-1", before: "2" },
    ];
    for (const wrong of senseless)
      expect([wrong, (await office.post(arrange, wrong)).status]).toEqual([wrong, 404]);
    for (let count = 7; count < 24; count++)
      await office.post(arrange, { do: "add", of: "hive", query: "status=active", name: "" });
    const full = await office.post(arrange, { do: "add", of: "hive", query: "", name: "" });
    expect([full.status, textOf(full.html)]).toEqual([
      422,
      expect.stringContaining("A start page has 24 parts at most"),
    ]);
    expect(titles((await office.get("/")).html)).toHaveLength(24);
    const stranger = await new Visitor(app.address).get(arrange);
    expect(stranger.path).toContain("/-/sign-in");
  });
});

describe("a dashboard of the model", () => {
  const project = projectOn(
    { kind: "sqlite" } as (typeof kinds)[number],
    `${model.replace(/users:[\s\S]*?entities:/, "entities:").replace(/ {4}rights:.*\n/, "")}dashboard:
  - Hive: Weak ones <b>
labels:
  es: {"Hive view Weak ones <b>": Las débiles}
`,
  );
  let app: Running;
  beforeAll(async () => {
    app = await running(["rise"], project.folder);
  }, 60_000);
  afterAll(async () => {
    expect(await app.stop()).toBe(0);
    await project.remove();
  });

  it("shows its views, and can be changed by whoever uses an application without sign-in", async () => {
    const visitor = new Visitor(app.address);
    const { html } = await visitor.get("/");
    expect(titles(html)).toEqual(["Weak ones <b>"]);
    await visitor.post("/-/dashboard", { do: "add", of: "harvest", query: "sort=-date", name: "" });
    expect(titles((await new Visitor(app.address).get("/")).html)).toEqual([
      "Weak ones <b>",
      "Latest harvests",
    ]);
  });
});
