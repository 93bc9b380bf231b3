import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn } from "./support/kinds.ts";
import { levadura, type Running, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const rows = 10_350;

const model = `levadura: 1
app:
  name: Weighings
  database: sqlite
entities:
  Weighing:
    title: "{code}"
    fields:
      code: text, required, unique
      state: choice full | half | empty, required
      fresh: boolean
      weight: decimal 0..80, places 1
      day: date 2024-01-01..2026-12-31, required
      seen: datetime
    tabs: state
    columns: [code, state, fresh, weight, day, seen]
    sort: day descending
    seed: ${rows}
`;

describe.each(kinds)("a list of very many rows over $kind", (kind) => {
  const project = projectOn(kind, model);
  let server: Running;
  let visitor: Visitor;

  beforeAll(async () => {
    for (const command of ["prepare", "migrate", "seed", "build"])
      expect((await levadura([command], project.folder)).status).toBe(0);
    server = await running(["serve"], project.folder);
    visitor = new Visitor(server.address);
  }, 120_000);
  afterAll(async () => {
    await server.stop();
    await project.remove();
  });

  const count = async (where: string) => {
    const [found] = await project.rows<{ n: number }>(
      `select count(*) as n from weighing where ${where}`,
    );
    return Number(found?.n);
  };
  const codes = (html: string) =>
    [...html.matchAll(/<a href="\/weighings\/\d+[^"/]*">([^<]+)<\/a><\/td>/g)].map(
      ([, code = ""]) => code,
    );
  const link = (html: string, text: string) =>
    new RegExp(`href="([^"]*)"[^>]*>${text}</a>`).exec(html)?.[1]?.replaceAll("&amp;", "&") ?? "";

  it("is counted up to a bound, and whole where somebody asks", async () => {
    const { html } = await visitor.get("/weighings");
    expect(textOf(html)).toMatch(/(More than|About) 10,\d00 weighings/);
    expect(textOf(html)).not.toContain("of 414");
    const whole = await visitor.get(link(html, "Count all"));
    expect(textOf(whole.html)).toContain("10,350 weighings");
    const half = await count("state = 'half'");
    expect(textOf(html)).toContain(`Half ${half.toLocaleString("en")}`);
    // A filter that leaves few is counted as ever.
    const few = await visitor.get("/weighings?state=half");
    expect(textOf(few.html)).toContain(`${half.toLocaleString("en")} weighings`);
  });

  it("goes on behind its last row, page after page, and begins from its end as well", async () => {
    const all = (
      await project.rows<{ code: string }>("select code from weighing order by day desc, id desc")
    ).map(({ code }) => code);
    let { html } = await visitor.get("/weighings?size=200");
    for (let page = 0; page < 4; page++) {
      expect(codes(html)).toEqual(all.slice(page * 200, (page + 1) * 200));
      expect(link(html, "Next")).toMatch(/after=\d+/);
      html = (await visitor.get(link(html, "Next"))).html;
    }
    html = (await visitor.get(link(html, "Previous"))).html;
    expect(codes(html)).toEqual(all.slice(600, 800));
    html = (await visitor.get(link(html, "Last"))).html;
    expect(codes(html)).toEqual(all.slice(-200));
    html = (await visitor.get(link(html, "Previous"))).html;
    expect(codes(html)).toEqual(all.slice(-400, -200));
    expect(codes((await visitor.get(link(html, "First"))).html)).toEqual(all.slice(0, 200));
    // A record that is gone leaves the number of the page.
    const gone = await visitor.get("/weighings?size=200&page=3&after=99999999");
    expect(codes(gone.html)).toEqual(all.slice(400, 600));
  });

  it("counts behind each filter what the database has, through its indexes", async () => {
    const { html } = await visitor.get("/weighings/filter");
    const shown = textOf(html);
    for (const state of ["full", "half", "empty"]) {
      const label = state.charAt(0).toUpperCase() + state.slice(1);
      expect(shown).toContain(
        `${label} ${(await count(`state = '${state}'`)).toLocaleString("en")}`,
      );
    }
    for (const field of ["weight", "seen"]) {
      const blank = await count(`${field} is null`);
      expect([field, shown]).toEqual([
        field,
        expect.stringContaining(`Nothing filled in ${blank.toLocaleString("en")}`),
      ]);
    }
    const bars = [...html.matchAll(/href="\/weighings\?([^"]*)" aria-label="[^"]*: ([\d,]+)"/g)];
    const sums = new Map<string, number>();
    for (const [, query = "", number = ""] of bars) {
      const named = query.replaceAll("&amp;", "&");
      const field = named.split(".")[0] ?? "";
      const of = Number(number.replaceAll(",", ""));
      sums.set(field, (sums.get(field) ?? 0) + of);
      const range = new URLSearchParams(named);
      if (field !== "seen")
        expect([named, of]).toEqual([
          named,
          await count(
            `${field} >= '${range.get(`${field}.from`)}' and ${field} <= '${range.get(`${field}.to`)}'`,
          ),
        ]);
    }
    for (const [field, sum] of sums)
      expect([field, sum]).toEqual([field, await count(`${field} is not null`)]);
    expect([...sums.keys()].sort()).toEqual(["day", "seen", "weight"]);
  });

  /** The page of work once it is over. */
  const over = async (path: string) => {
    for (let turn = 0; turn < 600; turn++) {
      const page = await visitor.get(path);
      if (!page.headers.has("refresh")) return textOf(page.html);
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    throw new Error("the work never ends");
  };

  it("is changed in the background, with what was refused and why", async () => {
    const half = await count("state = 'half'");
    const page = "/weighings/bulk/change?state=half&_field=day";
    expect(textOf((await visitor.get(page)).html)).toContain("There are many");
    const wrong = await visitor.submit(page, { day: "2031-01-01" });
    expect(wrong.path).toMatch(/^\/weighings\/bulk\/work\/[\w-]{36}$/);
    const shown = await over(wrong.path);
    expect(shown).toContain("Changed: 0 weighings");
    expect(shown).toContain(`Left as they are: ${half.toLocaleString("en")} weighings`);
    expect(shown).toContain(`… and ${(half - 200).toLocaleString("en")} more`);
    const right = await visitor.submit(page, { day: "2025-05-05" });
    expect(await over(right.path)).toContain(`Changed: ${half.toLocaleString("en")} weighings`);
    expect(await count("state = 'half' and day = '2025-05-05'")).toBe(half);
    expect(await count("version > 2")).toBe(0);
    expect((await visitor.get("/weighings/bulk/work/none")).status).toBe(404);
  });

  it("stops deleting when asked to, and says what is left", async () => {
    const full = await count("state = 'full'");
    const { path, html } = await visitor.submit("/weighings/bulk/delete?state=full");
    expect(textOf(html)).toContain("Running");
    const stopped = await visitor.post(path, {});
    expect(textOf(stopped.html)).toMatch(/Stopping|Stopped/);
    const shown = await over(path);
    const [, left = ""] = /Stopped\. Not processed: ([\d,]+) weighings/.exec(shown) ?? [];
    expect(await count("state = 'full'")).toBe(Number(left.replaceAll(",", "")));
    expect(Number(left.replaceAll(",", ""))).toBeLessThan(full);
    // So it does when the application ends, and another process can say so.
    const second = await visitor.submit("/weighings/bulk/delete?state=empty");
    expect(await server.stop()).toBe(0);
    server = await running(["serve"], project.folder);
    visitor = new Visitor(server.address);
    expect(await over(second.path)).toContain("Stopped. Not processed");
  });
});
