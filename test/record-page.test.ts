import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { type Running, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en, database: sqlite}
users:
  record: Keeper
  groups: {office: Office, helpers: Helpers}
  rights: {office: everything, helpers: see}
entities:
  Keeper: {seed: 3, fields: {name: "text, required, unique"}}
  Apiary: {title: "{name}", sort: name, seed: 0, fields: {name: "text, required, unique"}}
  Hive:
    title: "{code}"
    sort: code
    seed: 0
    fields: {code: "text, required", apiary: "one Apiary, required", keeper: one Keeper}
  Visit:
    title: "{note}"
    sort: note
    seed: 0
    fields: {note: "text, required", hive: part of Hive}
    rights: {office: everything}
  Sample:
    title: "{mark}"
    seed: 0
    fields: {mark: "text, required", visit: part of Visit}
    rights: {office: everything, helpers: see}
`;

describe.each(kinds)("pages of records over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "office");
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  /** Adds a record and returns its address. */
  const add = async (path: string, fields: Record<string, string>) =>
    (await office.submit(`/${path}/new`, fields)).path;

  it("begin with what can be done first, where there is nothing yet", async () => {
    const empty = projectOn(
      kind,
      model
        .replace("seed: 3", "seed: 0")
        .replace(/users:.*?entities/s, "entities")
        .replace(/\n {4}rights: .*/g, ""),
    );
    const own = await running(["rise"], empty.folder);
    try {
      const { html } = await new Visitor(own.address).get("/");
      const steps = [...html.matchAll(/href="(\/\w+)\/new">New/g)].map(([, path]) => path);
      // What needs nothing comes first; parts are added with what they belong to.
      expect(steps.slice(0, 3)).toEqual(["/keepers", "/apiaries", "/hives"]);
      expect(textOf(html)).toMatch(/First steps .* New hive Import a list : Hive needs apiary/);
      expect(html).toContain('href="/apiaries/import"');
      await new Visitor(own.address).submit("/apiaries/new", { name: "Mill Meadow" });
      expect(textOf((await new Visitor(own.address).get("/")).html)).not.toContain("First steps");
    } finally {
      await own.stop();
      await empty.remove();
    }
  });

  it("open their rows to what belongs to them, level by level, as far as somebody may see it", async () => {
    const apiary = await add("apiaries", { name: "Mill Meadow" });
    await add("apiaries", { name: "Birch Orchard" });
    await add("apiaries", { name: "Alder Bank" });
    const id = apiary.split("/")[2]?.split("-")[0] ?? "";
    for (const code of ["B-1", "B-2"]) await add("hives", { code, apiary_id: id });
    for (let at = 10; at < 22; at++) await add("visits", { note: `N${at}`, hive_id: "2" });
    await add("samples", { mark: "S-1", visit_id: "3" });
    const closed = await office.get(apiary);
    expect(textOf(closed.html)).not.toContain("N12");
    const [, href = ""] =
      /href="([^"]*)"[^>]*data-opens[^>]*>(?:(?!data-opens).)*what belongs to B-2/s.exec(
        closed.html,
      ) ?? [];
    const open = await office.get(href.replaceAll("&amp;", "&").replace(/#.*/, ""));
    expect(open.path).toContain("hives.open=2");
    expect(textOf(open.html)).toMatch(/Visits 12 New visit .*N10 .*N19 .*Show all 12/);
    expect(open.html).not.toMatch(/>N20</);
    expect(open.html).toMatch(/aria-expanded="true">(?:(?!data-opens).)*what belongs to B-2/s);
    const deeper = await office.get(`${apiary}?hives.open=1.2.99.x&hives.2.visit.hive_id.open=3`);
    expect(textOf(deeper.html)).toMatch(/N12 .*Samples 1 New sample .*S-1/);
    const helper = await Visitor.of(app.address, "helpers");
    const seen = await helper.get(`${apiary}?hives.open=2&hives.2.visit.hive_id.open=3`);
    expect([seen.status, textOf(seen.html)]).toEqual([200, expect.not.stringMatching(/N1\d|S-1/)]);
    expect(seen.html).not.toContain("data-opens");
  });

  it("stand beside their list, in its order and with its filters", async () => {
    const first = await office.get("/apiaries/beside?sort=-name");
    expect(first.path).toMatch(/mill-meadow\?within=sort%3D-name&beside=yes$/);
    const [list = ""] = /<nav class="beside-list".*?<\/nav>/s.exec(first.html) ?? [];
    expect(textOf(list)).toMatch(/Mill Meadow .*Birch Orchard .*Alder Bank .*New apiary/);
    expect(list).toMatch(/mill-meadow\?[^"]*" aria-current="page"/);
    // What is added from the page leads back to it.
    const [, add = ""] = /href="(\/hives\/new\?[^"]*)"/.exec(first.html) ?? [];
    expect(decodeURIComponent(add)).toContain("_back=/apiaries/1-mill-meadow?within=");
    const none = await office.get("/apiaries/beside?search=nowhere");
    expect(none.path).toBe("/apiaries?search=nowhere");
    expect((await office.get("/apiaries?sort=-name")).html).toContain(
      'href="/apiaries/beside?sort=-name"',
    );
    expect((await office.get(`/apiaries/2?beside=yes`)).html).toContain("beside-list");
  });

  it("tell on the start page what is one's own", async () => {
    const people = await project.rows<{ id: number }>("select id from keeper order by id");
    for (const { id } of people) {
      await add("hives", { code: `K-${id}`, apiary_id: "1", keeper_id: String(id) });
    }
    const own = async (who: Visitor) => {
      const [, panel = ""] =
        /<section class="panel"(?:(?!<section).)*Your hives(.*?)<\/section>/s.exec(
          (await who.get("/")).html,
        ) ?? [];
      return textOf(panel).match(/K-\d+|B-\d/g);
    };
    const [mine, theirs] = [await own(office), await own(await Visitor.of(app.address, "helpers"))];
    expect([mine?.length, theirs?.length]).toEqual([1, 1]);
    expect(mine).not.toEqual(theirs);
    // A search for the word is no list of one's own.
    const tile = { of: "hive", query: "search=me", name: "", do: "add" };
    const titles = async () => (await office.get("/")).html.match(/Your hives/g)?.length;
    const before = await titles();
    await office.post("/-/dashboard", tile);
    expect([before, await titles()]).toEqual([before, before]);
    expect((await office.get("/")).html).toContain('href="/hives?search=me"');
  });
});
