import { symlinkSync } from "node:fs";
import { join } from "node:path";
import type { Hono } from "hono";
import type { Kysely, KyselyPlugin } from "kysely";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn } from "./support/kinds.ts";
import { levadura, type Running, repository, running } from "./support/program.ts";
import { formOf, inputValue, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, timezone: Europe/Madrid, language: en-GB, currency: EUR, database: sqlite}
entities:
  Apiary:
    fields:
      name: text, required
  Hive:
    title: "{code} {apiary}"
    fields:
      code: text, required
      apiary: one Apiary
      home: one Apiary, label Winter home
      helpers: many Apiary
      seen: datetime
      took: duration
      earned: "= hours(took) * price"
      price: money
      share: percent
      weight: decimal, unit kg
      frames: integer
      site: url
      mail: email
      phone: phone
      state: choice in_use | "at rest"
      notes: long text
    columns: [code, apiary, helpers, price, seen, created_at]
    sort: price descending, code
  Visit:
    fields:
      hive: one Hive, required
      date: date, required
`;

describe.each(kinds)("the application over $kind", (kind) => {
  const { folder, url, rows, remove } = projectOn(kind, model);
  let server: Running;
  let visitor: Visitor;

  beforeAll(async () => {
    for (const command of ["prepare", "migrate", "build"])
      expect((await levadura([command], folder)).status).toBe(0);
    server = await running(["serve"], folder);
    visitor = new Visitor(server.address);
    for (const name of ["Zaragoza", "álamo", "birch", "100% oak_1"])
      await visitor.post("/apiaries/new", { name });
    await visitor.post("/hives/new", {
      code: "A1",
      apiary_id: "1",
      helpers: ["2", "3"],
      seen: "01/07/2026 09:30",
      took: "2h30",
      price: "1234.5",
      share: "12.5",
      weight: "3.25",
      frames: "1200",
      site: "https://example.org/a?b=1&c=2",
      mail: "ana@example.org",
      phone: "+34 (600) 00-00",
      state: "in_use",
      notes: "first line\n  <b>second</b>",
    });
  });
  afterAll(async () => {
    await server.stop();
    await remove();
  });

  it("shows each kind of value as people write it", async () => {
    const { html } = await visitor.get("/hives/1");
    const text = textOf(html).replaceAll("\u00a0", " ");
    for (const part of ["€1,234.50", "12.5 %", "3.25 kg", "1,200", "1 Jul 2026, 09:30", "In use"])
      expect(text).toContain(part);
    expect(html).toContain('href="https://example.org/a?b=1&amp;c=2" rel="noreferrer noopener"');
    expect(html).toContain('href="tel:+346000000"');
    expect(html).toContain('href="mailto:ana%40example.org"');
    expect(html).toContain('<div class="lines">first line\n  &lt;b&gt;second&lt;/b&gt;</div>');
    expect(html).toContain("<title>A1 Zaragoza · Hive Book</title>");
  });

  it("keeps moments in UTC, and gives them back by the clock on the wall", async () => {
    const [row] = await rows<{ seen: string }>("select seen from hive where id = 1");
    expect(row?.seen).toMatch(/^2026-07-01[T ]07:30:00/);
    expect(inputValue((await visitor.get("/hives/1/edit")).html, "seen")).toBe("01/07/2026 09:30");
  });

  it("keeps spans of time in seconds, and gives them back with hours first", async () => {
    const [row] = await rows<{ took: string }>("select took from hive where id = 1");
    expect(Number(row?.took)).toBe(9000);
    const { html } = await visitor.get("/hives/1");
    expect(textOf(html)).toMatch(/Took 2:30 .*Earned €3,086.25/);
    expect(inputValue((await visitor.get("/hives/1/edit")).html, "took")).toBe("2:30");
  });

  it("gives a form that changes nothing when it is saved as it came", async () => {
    const before = await rows("select * from hive where id = 1");
    const { html } = await visitor.get("/hives/1/edit");
    const fields = formOf(html);
    fields.notes = "first line\r\n  <b>second</b>";
    expect([fields.helpers].flat().sort()).toEqual(["2", "3"]);
    const saved = await visitor.post("/hives/1/edit", fields);
    expect([saved.status, textOf(saved.html)]).toEqual([
      200,
      expect.stringContaining("Hive saved."),
    ]);
    const after = await rows("select * from hive where id = 1");
    expect({ ...after[0], version: 0, updated_at: 0 }).toEqual({
      ...before[0],
      version: 0,
      updated_at: 0,
    });
    const helpers = await rows("select apiary_id from hive_helpers order by 1");
    expect(helpers.map(({ apiary_id }) => apiary_id)).toEqual([2, 3]);
  });

  it.each([
    ["oak", ["100% oak_1"]],
    ["OAK 100", ["100% oak_1"]],
    ["%", ["100% oak_1"]],
    ["_", ["100% oak_1"]],
    ["\\", []],
    ["'; drop table hive; --", []],
    ["ir zz", []],
    ["ALAMO", ["álamo"]],
    ["Zàrá", ["Zaragoza"]],
    ["", ["100% oak_1", "álamo", "birch", "Zaragoza"]],
  ])("finds %j among the apiaries", async (search, expected) => {
    const { html, status } = await visitor.get(`/apiaries?search=${encodeURIComponent(search)}`);
    expect(status).toBe(200);
    expect(
      [...html.matchAll(/<\/td><td><a href="[^"]+">([^<]+)<\/a>/g)].map((found) => found[1]),
    ).toEqual(expected);
  });

  it("sorts by the titles of references, and by its own order else", async () => {
    await visitor.post("/hives/new", { code: "B2", apiary_id: "3", price: "2" });
    await visitor.post("/hives/new", { code: "C3", price: "9999" });
    const codes = async (query: string) => {
      const { html } = await visitor.get(`/hives${query}`);
      return [...html.matchAll(/<td class="chosen">.*?<a href="\/hives\/[^"]+">([^<]+)</gs)].map(
        (found) => found[1],
      );
    };
    expect(await codes("")).toEqual(["C3", "A1", "B2"]);
    expect(await codes("?sort=apiary")).toEqual(["C3", "B2", "A1"]);
    expect(await codes("?sort=-code")).toEqual(["C3", "B2", "A1"]);
    expect(await codes("?sort=notes;drop")).toEqual(["C3", "A1", "B2"]);
    expect(await codes("?apiary_id=3")).toEqual(["B2"]);
    // A choice is found by what people read, and not by what the database holds.
    expect(await codes("?search=ìn+USE")).toEqual(["A1"]);
    expect(await codes("?search=in_use")).toEqual([]);
    expect(await codes("?helpers=2")).toEqual(["A1"]);
    expect(await codes("?apiary_id=x")).toEqual(["C3", "A1", "B2"]);
  });

  it("shows two lists where two fields refer to one kind, and one for a field with many", async () => {
    const text = textOf((await visitor.get("/apiaries/3")).html);
    expect(text).toMatch(/Hives \(Apiary\) 1 .*Hives \(Winter home\) 0 .*Hives \(Helpers\) 1/);
  });

  it("answers a HEAD as a GET, and refuses other methods", async () => {
    const head = await fetch(`${server.address}/hives`, { method: "HEAD" });
    expect([head.status, await head.text()]).toEqual([200, ""]);
    const put = await fetch(`${server.address}/hives`, {
      method: "PUT",
      headers: { origin: server.address },
    });
    expect(put.status).toBe(404);
  });

  it("tells no development matters when it is served", async () => {
    expect((await visitor.get("/hives")).html).not.toMatch(/data-reload|model\.yaml/);
    expect((await visitor.get("/-/changes")).status).toBe(404);
    expect((await visitor.get("/-/assets/../main.mjs")).status).toBe(404);
  });

  it("saves both when many save at once", async () => {
    const people = Array.from({ length: 12 }, () => new Visitor(server.address));
    const saved = await Promise.all(
      people.map((person, index) => person.post("/apiaries/new", { name: `Together ${index}` })),
    );
    expect(saved.map(({ status }) => status)).toEqual(people.map(() => 200));
    const found = await visitor.get("/apiaries?search=Together");
    expect(textOf(found.html)).toContain("12 apiaries");
  });

  it("asks the database no more for a page with more rows", async () => {
    const app = join(folder, "app");
    symlinkSync(join(repository, "node_modules"), join(app, "node_modules"));
    process.env.DATABASE_URL = url;
    const { createApp } = (await import(join(app, "src/app.ts"))) as {
      createApp(db: Kysely<unknown>): Hono;
    };
    const { openDatabase } = (await import(join(app, "src/database.ts"))) as {
      openDatabase(): Kysely<unknown>;
    };
    let asked = 0;
    const counter: KyselyPlugin = {
      transformQuery: ({ node }) => {
        asked++;
        return node;
      },
      transformResult: async ({ result }) => result,
    };
    const db = openDatabase();
    process.env.DATABASE_URL = "";
    const application = createApp(db.withPlugin(counter));
    const queriesOf = async (path: string) => {
      asked = 0;
      const answer = await application.request(path, { headers: { host: "localhost" } });
      expect([path, answer.status]).toEqual([path, 200]);
      return asked;
    };
    const more = (code: string) =>
      visitor.post("/hives/new", { code, apiary_id: "1", home_id: "1", helpers: ["1", "2"] });
    await more("M");
    const few = [
      await queriesOf("/hives"),
      await queriesOf("/hives/1-a1-zaragoza"),
      await queriesOf("/apiaries/1-zaragoza"),
    ];
    for (let index = 0; index < 30; index++) await more(`M${index}`);
    const many = [
      await queriesOf("/hives"),
      await queriesOf("/hives/1-a1-zaragoza"),
      await queriesOf("/apiaries/1-zaragoza"),
    ];
    expect(many).toEqual(few);
    expect(many[0]).toBeLessThanOrEqual(3);
    await db.destroy();
  });
});
