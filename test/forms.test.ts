import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { rowsOf } from "./support/database.ts";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { levadura, projectWith, type Running, running } from "./support/program.ts";
import { formOf, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en, database: sqlite}
users:
  groups: {office: Office, guests: Guests}
  rights: {office: everything, guests: [see, change]}
entities:
  Keeper: {seed: 3, fields: {name: "text, required, unique"}}
  Warden: {seed: 2, fields: {name: "text, required"}, rights: {office: everything}}
  Hive:
    title: "{code}"
    seed: 0
    fields:
      code: text ..20, required, unique
      status: choice active | weak, required, default active
      weight: decimal
      notes: long text
      keepers: many Keeper
      secret: text
      scan: image
      warden: one Warden
    sort: code
    rights: {office: everything, guests: [see, change, hide secret, read only weight]}
`;

describe.each(kinds)("forms over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  let guest: Visitor;

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "office");
    guest = await Visitor.of(app.address, "guests");
    for (const [code, weight] of [
      ["B-1", "12.5"],
      ["B-2", "8"],
      ["B-3", ""],
      ["B-4", "30"],
    ] as const) {
      const form = await office.get("/hives/new");
      const fields = { code, weight, secret: "s", notes: 'a "quote" <b> & more' };
      await office.post("/hives/new", { ...formOf(form.html), ...fields });
    }
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  const row = async (id: number) =>
    (await project.rows<Record<string, unknown>>(`select * from hive where id = ${id}`))[0];

  it("join changes to different fields, and say so", async () => {
    const [mine, theirs] = [await office.get("/hives/1/edit"), await guest.get("/hives/1/edit")];
    const other = await guest.post("/hives/1/edit", {
      ...formOf(theirs.html),
      notes: "seen by a guest",
      keepers: ["2", "3"],
    });
    expect(textOf(other.html)).toContain("Hive saved");
    const own = await office.post("/hives/1/edit", {
      ...formOf(mine.html),
      weight: "12,50".replace(",", "."),
      status: "weak",
      secret: "kept",
    });
    expect(textOf(own.html)).toContain(
      "Hive saved. Changed by somebody else meanwhile, and taken over: Notes, Keepers.",
    );
    expect(await row(1)).toMatchObject({
      notes: "seen by a guest",
      status: "weak",
      weight: 12.5,
      secret: "kept",
      version: 3,
    });
    expect(await project.rows("select keeper_id from hive_keepers order by 1")).toEqual([
      { keeper_id: 2 },
      { keeper_id: 3 },
    ]);
  });

  it("ask which value is kept of a field that both changed", async () => {
    const [mine, theirs] = [await office.get("/hives/2/edit"), await guest.get("/hives/2/edit")];
    await guest.post("/hives/2/edit", {
      ...formOf(theirs.html),
      code: "B-2a",
      notes: "theirs <i>",
      status: "weak",
    });
    const asked = await office.post("/hives/2/edit", {
      ...formOf(mine.html),
      code: "B-2b",
      notes: "mine",
    });
    expect(asked.status).toBe(409);
    const words = textOf(asked.html).replace(/\s+/g, " ");
    expect(words).toContain("taken over: Status.");
    expect(words).toContain("Code Yours: B-2b Saved now: B-2a");
    expect(words).toContain("Notes Yours: mine Saved now: theirs <i>");
    expect(await row(2)).toMatchObject({ code: "B-2a", notes: "theirs <i>" });
    const chosen = await office.post("/hives/2/edit", {
      ...formOf(asked.html),
      "_take.notes": "theirs",
      "_take.code": "mine",
    });
    expect(textOf(chosen.html)).toContain("Hive saved");
    expect(await row(2)).toMatchObject({ code: "B-2b", notes: "theirs <i>", status: "weak" });
  });

  it("tell nobody of fields that they don't see, and give up nothing that can't be told", async () => {
    const [mine, theirs] = [await guest.get("/hives/3/edit"), await office.get("/hives/3/edit")];
    expect(mine.html).not.toContain("&quot;secret&quot;");
    await office.post("/hives/3/edit", { ...formOf(theirs.html), secret: "changed", weight: "9" });
    const own = await guest.post("/hives/3/edit", {
      ...formOf(mine.html),
      notes: "guest",
      "_take.secret": "theirs",
    });
    expect(textOf(own.html)).toContain("Hive saved");
    expect(own.html).not.toContain("Secret");
    expect(await row(3)).toMatchObject({ secret: "changed", weight: 9, notes: "guest" });
    // A form that doesn't say what it began with is asked about every difference.
    const stale = {
      ...formOf((await office.get("/hives/3/edit")).html),
      _was: "[]",
      _version: "1",
      notes: "x",
    };
    expect((await office.post("/hives/3/edit", stale)).status).toBe(409);
    const broken = { ...stale, _was: '{"__proto__":{"a":1}}' };
    expect((await office.post("/hives/3/edit", broken)).status).toBe(409);
  });

  it("have no trace of what isn't for a person, neither when opened nor when two changes meet", async () => {
    const first = await office.get("/hives/4/edit");
    await office.post("/hives/4/edit", { ...formOf(first.html), warden_id: "1", secret: "one" });
    const [mine, theirs] = [await guest.get("/hives/4/edit"), await office.get("/hives/4/edit")];
    const changed = { warden_id: "2", secret: "two", notes: "office" };
    await office.post("/hives/4/edit", { ...formOf(theirs.html), ...changed });
    const asked = await guest.post("/hives/4/edit", { ...formOf(mine.html), notes: "guest" });
    const again = await guest.post("/hives/4/edit", { ...formOf(asked.html), code: "" });
    expect([mine.status, asked.status, again.status]).toEqual([200, 409, 422]);
    for (const { html } of [mine, asked, again]) expect(html).not.toMatch(/warden|secret|\btwo\b/i);
    const saved = await guest.post("/hives/4/edit", { ...formOf(again.html), code: "B-4" });
    expect(textOf(saved.html)).toContain("Hive saved");
    expect(await row(4)).toMatchObject({ warden_id: 2, secret: "two", notes: "guest" });
  });

  it("begin with what another record has", async () => {
    const page = await office.get("/hives/1");
    expect(page.html).toContain('href="/hives/1-b-1/duplicate"');
    const form = await office.get("/hives/1/duplicate");
    const fields = formOf(form.html);
    expect(fields).toMatchObject({
      code: "B-1",
      notes: "seen by a guest",
      keepers: expect.arrayContaining(["2", "3"]),
      status: "weak",
    });
    const same = await office.post("/hives/new", fields);
    expect([same.status, textOf(same.html)]).toEqual([
      422,
      expect.stringContaining("Another hive has this already."),
    ]);
    const saved = await office.post("/hives/new", { ...fields, code: "B-5" });
    expect(saved.path).toMatch(/^\/hives\/\d+-b-5$/);
    expect((await guest.get("/hives/1/duplicate")).status).toBe(403);
    expect((await guest.get("/hives/1")).html).not.toContain("/duplicate");
  });

  it("say who else has them open, until they leave", async () => {
    await guest.get("/hives/4/edit");
    const form = await office.get("/hives/4/edit");
    expect(textOf(form.html)).toContain("Guests (sample) has this form open, too.");
    const asked = async (who: Visitor, query = "") =>
      JSON.parse((await who.post(`/hives/4/editing${query}`, {})).html).said;
    expect(await asked(guest)).toBe("Office (sample) has this form open, too.");
    expect(await asked(office, "?left=yes")).toBe("");
    expect(await asked(guest)).toBe("");
    // Whoever saves is gone, too.
    await office.get("/hives/4/edit");
    const own = await guest.get("/hives/4/edit");
    expect(textOf(own.html)).toContain("Office (sample) has this form open");
    await guest.post("/hives/4/edit", { ...formOf(own.html), notes: "seen" });
    expect(await asked(office)).toBe("");
  });

  it("lead from record to record within the list they were opened from", async () => {
    const from = async (query: string, path: string) => {
      const { html } = await office.get(path, { referer: `${app.address}/hives?${query}` });
      const [, steps = ""] = /<nav class="steps"[^>]*>([\s\S]*?)<\/nav>/.exec(html) ?? [];
      return Object.fromEntries(
        [...steps.matchAll(/<a href="([^"]*)"[^>]*>(\w+)<\/a>/g)].map(([, href = "", step]) => [
          step,
          href.replaceAll("&amp;", "&"),
        ]),
      );
    };
    const titles = async (query: string) =>
      [...(await office.get(`/hives?${query}`)).html.matchAll(/<td><a href="\/hives\/(\d+)-/g)].map(
        ([, id]) => id,
      );
    for (const query of [
      "",
      "sort=-weight",
      "sort=weight,-code",
      "status=active",
      "search=B&sort=-id",
      "group=status",
    ]) {
      const ids = await titles(query);
      for (const [at, id] of ids.entries()) {
        const steps = await from(query, `/hives/${id}`);
        const of = (step: string) => /\/hives\/(\d+)-/.exec(steps[step] ?? "")?.[1];
        expect([query, of("Previous"), of("Next")]).toEqual([query, ids[at - 1], ids[at + 1]]);
        if (at > 0) expect([query, of("First")]).toEqual([query, ids[0]]);
        if (at < ids.length - 1) expect([query, of("Last")]).toEqual([query, ids.at(-1)]);
      }
    }
    // The way goes on without the page that it began from; who came from elsewhere has none.
    const [first] = await titles("sort=-weight");
    const next = (await from("sort=-weight", `/hives/${first}`)).Next ?? "";
    expect((await office.get(next)).html).toContain("within=sort%3D-weight");
    expect((await office.get("/hives/1")).html).not.toContain('class="steps"');
    const outside = await office.get("/hives/1", {
      referer: "http://elsewhere.example/hives?sort=code",
    });
    expect(outside.html).not.toContain('class="steps"');
    // A record that the list has no more is where it would be, so that the way goes on.
    expect(Object.keys(await from("status=active", "/hives/1")).sort()).toEqual(["Last", "Next"]);
    expect((await office.get(`/hives/1?within=${"x".repeat(3000)}`)).status).toBe(200);
  });
});

it("fields are asked for as the model says", async () => {
  const folder = projectWith(`levadura: 1
entities:
  Keeper: {seed: 2, fields: {name: "text, required"}}
  Hive:
    fields:
      code: text, required
      a: choice x | y
      b: choice x | y, as select
      c: choice p | q | r | s | t, as radio
      kept: boolean, as switch
      sold: boolean, as radio
      frames: integer 4..12, required, default 10, as slider
      share: percent 0..50, places 1, required, as slider
      keeper: one Keeper, required, as radio
      helper: one Keeper, as search
`);
  const app = await running(["rise"], folder);
  const visitor = new Visitor(app.address);
  const { html } = await visitor.get("/hives/new");
  expect(html).toMatch(/<input[^>]*id="field-kept"[^>]*role="switch"/);
  expect(html.match(/type="radio" id="field-sold-[^>]*>/g)).toEqual([
    expect.stringContaining('value="yes"'),
    expect.stringContaining('value="" checked'),
  ]);
  expect(html).toMatch(/<input type="range"[^>]*min="4" max="12" id="field-frames"[^>]*value="10"/);
  expect(html).toMatch(/<input type="range"[^>]*step="0.1"[^>]*id="field-share"[^>]*value="0"/);
  expect(html.match(/type="radio" id="field-keeper_id-\d/g)).toHaveLength(2);
  expect(html).toContain('name="helper_id.named" type="search"');
  const fields = { kept: "yes", sold: "yes", frames: "7", share: "12.5", keeper_id: "2" };
  const [, name = ""] = /for="field-keeper_id-1">([^<]+)/.exec(html) ?? [];
  const saved = { code: "B-1", ...fields, "helper_id.named": name };
  expect((await visitor.submit("/hives/new", saved)).status).toBe(200);
  expect(rowsOf(join(folder, "records.db"), "select * from hive where code = 'B-1'")).toEqual([
    expect.objectContaining({
      kept: 1,
      sold: 1,
      frames: 7,
      share: 12.5,
      keeper_id: 2,
      helper_id: 1,
    }),
  ]);
  expect(html.match(/type="radio" id="field-a-/g)).toHaveLength(3);
  expect(html).toContain('<select id="field-b"');
  expect(html.match(/type="radio" id="field-c-/g)).toHaveLength(6);
  await app.stop();
  const wrong = projectWith(
    `levadura: 1\nentities:\n  Hive: {fields: {code: "text, required", a: "choice x | y, as menu"}}\n`,
  );
  const { status, err } = await levadura(["check"], wrong);
  expect([status, err]).toEqual([1, expect.stringContaining("`as` is `radio` or `select`")]);
  const open = projectWith(
    "levadura: 1\nentities:\n  Hive: {fields: {frames: 'integer 4.., required, as slider'}}\n",
  );
  expect((await levadura(["check"], open)).err).toContain("a slider needs a range with both ends");
});

describe.each(kinds)("the lists on a record's page over $kind", (kind) => {
  it("have pages and a search, each its own", async () => {
    const lists = `levadura: 1
app: {name: Hive Book, language: en, database: sqlite}
entities:
  Hive: {title: "{code}", seed: 1, fields: {code: "text, required"}}
  Visit: {title: "{note}", seed: 60, sort: id, fields: {note: "text, required, unique", hive: part of Hive}}
  Call: {title: "{topic}", seed: 30, sort: id, fields: {topic: "text, required", hive: one Hive}}
`;
    const project = projectOn(kind, lists);
    const app = await running(["rise"], project.folder);
    const visitor = new Visitor(app.address);
    const notes = await project.rows<{ note: string }>("select note from visit order by id");
    const shown = (html: string, path: string) =>
      [...html.matchAll(new RegExp(`<a href="/${path}/(\\d+)-[^"]*">`, "g"))].map(([, id]) =>
        Number(id),
      );
    const { path, html } = await visitor.get("/hives/1");
    expect(shown(html, "visits")).toEqual(Array.from({ length: 25 }, (_, at) => at + 1));
    const [, next = ""] = /href="([^"]*visits\.[^"]*)"[^>]*rel="next"/.exec(html) ?? [];
    const second = await visitor.get(next.replaceAll("&amp;", "&").replace(/#.*/, ""));
    expect(shown(second.html, "visits")).toEqual(Array.from({ length: 25 }, (_, at) => at + 26));
    expect(shown(second.html, "calls")[0]).toBe(shown(html, "calls")[0]);
    const last = notes.at(-1)?.note ?? "";
    const found = await visitor.get(
      `${path}?${new URLSearchParams({ "visits.search": last, "calls.page": "2" })}`,
    );
    expect(shown(found.html, "visits")).toContain(60);
    expect(found.html).toContain('name="calls.page" value="2"');
    expect(textOf((await visitor.get(`${path}?visits.search=zzzz`)).html)).toContain("None found.");
    expect(
      (await visitor.get(`${path}?visits.page=x&nothing.search=y&visits.after=-1`)).status,
    ).toBe(200);
    await app.stop();
    await project.remove();
  });
});
