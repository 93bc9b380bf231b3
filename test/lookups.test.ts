import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { levadura, projectWith, type Running, running } from "./support/program.ts";
import { hiddenInputs, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en, database: sqlite}
users:
  groups: {office: Office, guests: Guests}
  rights: {office: everything, guests: [see, add, change]}
entities:
  Apiary:
    fields: {name: "text, required, unique", town: text}
    title: "{name}"
    seed: 130
    rights: {office: everything, guests: ["see where town is not empty"]}
  Keeper: {seed: 110, fields: {name: "text, required, unique"}}
  Hive:
    title: "{code}"
    seed: 0
    fields: {code: "text, required, unique", apiary: one Apiary}
  Visit:
    title: "{note}"
    seed: 0
    fields:
      note: text, required
      apiary: one Apiary, required
      hive: one Hive, offered when hive.apiary = apiary
      keepers: many Keeper
`;

describe.each(kinds)("lookups over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  let guest: Visitor;
  let apiaries: { id: number; name: string; town: string | null }[];
  let keepers: { id: number; name: string }[];

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "office");
    guest = await Visitor.of(app.address, "guests");
    apiaries = await project.rows("select id, name, town from apiary order by id");
    keepers = await project.rows("select id, name from keeper order by id");
    for (const [code, at] of [
      ["B-1", 0],
      ["B-2", 0],
      ["B-3", 1],
    ] as const) {
      const form = await office.get("/hives/new");
      const fields = { code, apiary_id: String(apiaries[at]?.id) };
      await office.post("/hives/new", { ...hiddenInputs(form.html), ...fields });
    }
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  const offers = async (
    fields: Record<string, string>,
    { who = office, path = "/visits/new/offers" } = {},
  ): Promise<string[]> => {
    const { html } = await who.post(path, fields);
    return (JSON.parse(html) as { title: string }[]).map(({ title }) => title);
  };
  const visit = async (fields: Record<string, string | string[]>, who = office) => {
    const form = await who.get("/visits/new");
    return who.post("/visits/new", { ...hiddenInputs(form.html), ...fields });
  };

  it("list few records, and take the title of one of many", async () => {
    const form = await office.get("/visits/new");
    expect(form.html).toContain('name="apiary_id.named"');
    expect(form.html).not.toContain("<option");
    expect(form.html.length).toBeLessThan(12_000);
    const [first, second] = apiaries;
    const [anna, ben] = keepers;
    const saved = await visit({
      note: "one",
      "apiary_id.named": ` ${first?.name} `,
      "hive_id.named": "B-2",
      "keepers.named": `${anna?.name}; ${ben?.name}`,
    });
    expect(textOf(saved.html)).toContain("Visit saved");
    const [row] = await project.rows<{ id: number; apiary_id: number }>("select * from visit");
    expect(row).toMatchObject({ apiary_id: first?.id });
    expect(await project.rows("select keeper_id from visit_keepers order by 1")).toEqual([
      { keeper_id: anna?.id },
      { keeper_id: ben?.id },
    ]);
    // The form of a record has what is chosen, and a title that is typed over it counts.
    const path = `/visits/${row?.id}/edit`;
    const edit = await office.get(path);
    expect(edit.html).toContain(`value="${first?.name}"`);
    const changed = { note: "one", "apiary_id.named": second?.name ?? "", "hive_id.named": "B-3" };
    const ticked = { keepers: [String(ben?.id)], "keepers.named": "" };
    await office.post(path, { ...hiddenInputs(edit.html), ...changed, ...ticked });
    expect(await project.rows("select apiary_id from visit")).toEqual([{ apiary_id: second?.id }]);
    expect(await project.rows("select keeper_id from visit_keepers")).toEqual([
      { keeper_id: ben?.id },
    ]);
    for (const [name, why] of [
      ["No such place", "None is called"],
      ["", "Choose one."],
      ["'; drop table apiary; --", "None is called"],
    ] as const) {
      const refused = await visit({ note: "x", "apiary_id.named": name });
      expect(refused.status).toBe(422);
      expect(textOf(refused.html)).toContain(why);
      if (name.startsWith("No")) expect(refused.html).toContain(`value="${name}"`);
    }
  });

  it("offer while one types, those that were used last first", async () => {
    const used = apiaries[1]?.name;
    expect((await offers({ _field: "apiary_id", _words: "" }))[0]).toBe(used);
    const words = apiaries[40]?.name.slice(0, 5).toLowerCase() ?? "";
    const found = await offers({ _field: "apiary_id", _words: words });
    expect(found.length).toBeGreaterThan(0);
    expect(found.every((title) => title.toLowerCase().includes(words))).toBe(true);
    expect(await offers({ _field: "note", _words: "" })).toEqual([]);
    expect(await offers({ _field: "__proto__", _words: "" })).toEqual([]);
    const seen = new Set(apiaries.filter(({ town }) => town !== null).map(({ name }) => name));
    const own = await offers({ _field: "apiary_id", _words: "" }, { who: guest });
    expect(own.every((title) => seen.has(title))).toBe(true);
    expect(
      (await new Visitor(app.address).post("/visits/new/offers", { _field: "apiary_id" })).path,
    ).toMatch(/sign-in|offers/);
  });

  it("offer what fits the rest of the form, and refuse what doesn't", async () => {
    const [first, second] = apiaries;
    const of = (apiary: number | undefined) =>
      offers({ _field: "hive_id", _words: "", apiary_id: String(apiary) });
    expect(await of(first?.id)).toEqual(["B-1", "B-2"]);
    expect(await of(second?.id)).toEqual(["B-3"]);
    expect(
      await offers({ _field: "hive_id", _words: "B-1", apiary_id: String(second?.id) }),
    ).toEqual([]);
    expect(await offers({ _field: "hive_id", _words: "" })).toEqual([]);
    const wrong = await visit({
      note: "x",
      "apiary_id.named": second?.name ?? "",
      "hive_id.named": "B-1",
    });
    expect(wrong.status).toBe(422);
    expect(textOf(wrong.html)).toContain("Hive: Choose one of those offered.");
  });

  it("have a way to add a record, which comes back", async () => {
    const form = await office.get("/visits/new");
    expect(form.html).toContain('href="/apiaries/new?_for=lookup"');
    const added = await office.get("/apiaries/new?_for=lookup");
    const saved = await office.post("/apiaries/new?_for=lookup", {
      ...hiddenInputs(added.html),
      name: "New <place>",
    });
    expect(saved.html).toMatch(
      /data-added="\d+" data-path="\/apiaries" data-title="New &lt;place&gt;"/,
    );
  });
});

it("conditions of what is offered look at what is chosen", async () => {
  const check = async (definition: string) => {
    const folder = projectWith(
      `levadura: 1\nentities:\n  Apiary: {fields: {name: "text, required"}}\n  Hive: {fields: {code: "text, required", apiary: one Apiary}}\n  Visit: {fields: {note: "text, required", apiary: one Apiary, hive: ${JSON.stringify(definition)}}}\n`,
    );
    return levadura(["check"], folder);
  };
  expect((await check("one Hive, offered when hive.apiary = apiary")).status).toBe(0);
  for (const [definition, why] of [
    ["one Hive, offered when apiary is empty", "this doesn't look at `hive`"],
    ["one Hive, offered when hive.apiary = hive", "a record"],
    ["one Hive, offered when hive.code", "a condition was expected"],
    ["text, offered when hive = 'x'", "`offered when` can't be combined with a `text`"],
  ] as const) {
    const { status, err } = await check(definition);
    expect([status, err]).toEqual([1, expect.stringContaining(why)]);
  }
});
