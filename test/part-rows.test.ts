import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { levadura, projectWith, type Running, running } from "./support/program.ts";
import { formOf, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en, database: sqlite}
users:
  groups: {office: Office, helpers: Helpers, clerks: Clerks}
  rights: {office: everything, helpers: [see, add, change], clerks: everything}
entities:
  Keeper: {seed: 0, fields: {name: "text, required, unique"}}
  Hive:
    title: "{code}"
    seed: 0
    fields: {code: "text, required, unique", strength: "integer 0..10"}
  Visit:
    title: "{code}"
    seed: 0
    sort: code
    fields:
      hive: part of Hive
      code: text ..20, required
      kind: choice feeding | look | harvest, default look
      frames: {type: integer 0..30, placeholder: "12", hint: Count both <boxes>}
      seen: boolean
      keeper: one Keeper
      cost: money 0..100
      papers: file
      weight: {type: decimal 0..90, shown when: kind = 'harvest', required: yes}
    unique: [hive, code]
    rights:
      office: everything
      helpers: [see, add, "hide cost", "change where seen", "read only frames"]
  Sample:
    title: "{code}"
    seed: 0
    fields: {visit: part of Visit, code: "text, required"}
  Mark:
    title: "{code}"
    seed: 0
    fields: {hive: "part of Hive, unique", code: "text, required"}
  Remark:
    title: "{text}"
    seed: 0
    fields: {hive: "part of Hive, as list", text: "text, required"}
`;

describe.each(kinds)("rows of parts over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  let hive = "";

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "office");
    await office.submit("/keepers/new", { name: "Ana" });
    await office.submit("/keepers/new", { name: "Ben" });
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  it("say what their fields are about: over their column, and to those who hear a page at each input", async () => {
    const added = await office.get("/hives/new");
    const [input = ""] = added.html.match(/<input[^>]*name="visits\.new1\.frames"[^>]*>/) ?? [];
    expect(input).toContain('placeholder="12"');
    expect(input).toContain('aria-describedby="hint-visits.new1.frames"');
    expect(added.html).toContain(
      'id="hint-visits.new1.frames" class="form-text">Count both &lt;boxes&gt;',
    );
    expect(textOf(added.html)).toMatch(/Frames Count both <boxes>/);
  });

  const visits = async () => {
    const rows = await project.rows<Record<string, unknown>>(
      "select code, kind, frames, seen, keeper_id from visit order by id",
    );
    return rows.map(({ code, kind, frames, seen, keeper_id }) =>
      [code, kind, frames, Number(seen), keeper_id].join(" "),
    );
  };
  const idOf = async (code: string) => {
    const [row] = await project.rows<{ id: number }>(`select id from visit where code = '${code}'`);
    return Number(row?.id);
  };
  /** The form of the hive as it is, with some inputs typed over; those that are undefined aren't sent. */
  const typed = async (who: Visitor, over: Record<string, string | undefined>, path?: string) => {
    const { html } = await who.get(path ?? `${hive}/edit`);
    const all = Object.entries({ ...formOf(html), ...over });
    return Object.fromEntries(
      all.filter((each): each is [string, string] => each[1] !== undefined),
    );
  };
  /** Changes a visit by its own form. */
  const change = async (id: number, over: Record<string, string>) => {
    const { status, html } = await office.post(
      `/visits/${id}/edit`,
      await typed(office, over, `/visits/${id}/edit`),
    );
    expect([status, textOf(html)]).toEqual([200, expect.stringContaining("Visit saved.")]);
  };
  const save = async (over: Record<string, string | undefined>, who = office) =>
    who.post(`${hive}/edit`, await typed(who, over));

  it("are added with what they belong to, also without scripts, and blank ones aren't", async () => {
    const first = await typed(
      office,
      { code: "B-1", "visits.new1.code": "V1", _row: "visits" },
      "/hives/new",
    );
    expect(first).toMatchObject({ "visits.new1.kind": "look", "marks.new1.code": "" });
    const page = await office.post("/hives/new", first);
    expect([page.status, (await project.rows("select id from hive")).length]).toEqual([200, 0]);
    const second = formOf(page.html);
    expect(second).toMatchObject({ code: "B-1", "visits.new1.code": "V1", "visits.new2.code": "" });
    const sent = {
      ...second,
      ...{ "visits.new2.code": "V2", "visits.new2.frames": "7", "visits.new2.seen": "yes" },
      ...{ "visits.new3.code": "V3", "visits.new3.keeper_id": "2", "marks.new1.code": "M" },
      "visits.new3.kind": "look",
    };
    // Sent twice, it is saved once.
    for (const answer of [
      await office.post("/hives/new", sent),
      await office.post("/hives/new", sent),
    ]) {
      expect(textOf(answer.html)).toContain("Hive saved: B-1");
      hive = answer.path;
    }
    expect(await visits()).toEqual(["V1 look  0 ", "V2 look 7 1 ", "V3 look  0 2"]);
    expect(await project.rows("select code from mark")).toEqual([{ code: "M" }]);
    const edit = await office.get(`${hive}/edit`);
    expect(edit.html).not.toMatch(/data-rows="remarks"|papers/);
    // There is one mark at most.
    expect(edit.html.match(/name="_row" value="\w+"/g)).toEqual(['name="_row" value="visits"']);
  });

  it("come along with a copy of what they belong to, as new ones", async () => {
    const copy = await typed(office, { code: "B-1 again" }, `${hive}/duplicate`);
    expect(copy).toMatchObject({
      "visits.new1.code": "V1",
      "visits.new2.frames": "7",
      "visits.new3.keeper_id": "2",
      "marks.new1.code": "M",
    });
    const saved = await office.post("/hives/new", { ...copy, "visits.new3._remove": "yes" });
    expect(textOf(saved.html)).toContain("Hive saved: B-1 again");
    const [there] = await project.rows<{ id: number }>(
      "select id from hive where code = 'B-1 again'",
    );
    const copied = `select code, frames from visit where hive_id = ${there?.id} order by code`;
    expect(await project.rows(copied)).toEqual([
      { code: "V1", frames: null },
      { code: "V2", frames: 7 },
    ]);
    expect(await visits()).toHaveLength(5);
    expect((await office.submit(`${saved.path}/delete`, {})).status).toBe(200);
    expect(await visits()).toHaveLength(3);
  });

  it("are changed, removed and added in one save, each noted in its history", async () => {
    const [one, two] = [await idOf("V1"), await idOf("V2")];
    await save({
      [`visits.${one}.frames`]: "3",
      [`visits.${two}._remove`]: "yes",
      ...{ "visits.new1.code": "V4", "visits.new1.kind": "feeding" },
    });
    expect(await visits()).toEqual(["V1 look 3 0 ", "V3 look  0 2", "V4 feeding  0 "]);
    const { html } = await office.get(`/visits/${one}/history`);
    expect(textOf(html)).toMatch(/Frames: — → 3/);
    const versions = await project.rows("select code, version from visit order by id");
    // Those that nobody touched aren't saved.
    expect(versions).toEqual([
      { code: "V1", version: 2 },
      { code: "V3", version: 1 },
      { code: "V4", version: 1 },
    ]);
  });

  it("keep all of the form from being saved where one of them is wrong, and say where", async () => {
    const before = await visits();
    const [one, three] = [await idOf("V1"), await idOf("V3")];
    const refused = async (over: Record<string, string>) => {
      const answer = await save({ strength: "9", ...over });
      expect([answer.status, await visits()]).toEqual([422, before]);
      expect(await project.rows("select strength from hive")).toEqual([{ strength: null }]);
      // A record that isn't there can't be chosen again.
      const kept = Object.fromEntries(
        Object.entries(over).filter(([name]) => !name.includes("keeper_id")),
      );
      expect(formOf(answer.html)).toMatchObject({ strength: "9", ...kept });
      return { ...answer, text: textOf(answer.html) };
    };
    const unread = await refused({ [`visits.${one}.frames`]: "99", "visits.new1.frames": "x" });
    expect(unread.html).toContain(`href="#field-visits.${one}.frames"`);
    expect(unread.html).toMatch(/href="#field-visits\.new1\.code">New visit: Code: /);
    expect(unread.text).toContain("V1: Frames: Use 30 or less.");
    const both = await refused({ strength: "11", [`visits.${one}.frames`]: "99" });
    expect(both.html).toContain('href="#field-strength"');
    // What only the database knows, in two rows at once.
    const same = await refused({ [`visits.${three}.code`]: "V1", "visits.new1.code": "V4" });
    expect(same.text.match(/V3: .*? same/g)?.length).toBe(1);
    expect(same.text).toMatch(/New visit: .*same/);
    const unasked = await refused({ "visits.new1.code": "V5", "visits.new1.kind": "harvest" });
    expect(unasked.text).toMatch(/New visit: Weight: /);
    const strange = await refused({ "visits.new1.code": "V5", "visits.new1.keeper_id": "777" });
    expect(strange.html).toContain('href="#row-visits.new1."');
    // A title of nobody isn't dropped, even where nothing else was typed.
    const nobody = await refused({ "visits.new1.keeper_id.named": "Nobody" });
    expect(nobody.html).toContain('href="#field-visits.new1.keeper_id"');
    const wrongParent = await refused({ strength: "x", "visits.new1.code": "V6" });
    expect(wrongParent.html).toContain('href="#field-strength"');
  });

  it("join what two people change, and say what both changed", async () => {
    const one = await idOf("V1");
    const mine = await typed(office, { [`visits.${one}.frames`]: "4", code: "B-1a" });
    await change(one, { code: "V1", kind: "feeding", frames: "3" });
    expect(textOf((await office.post(`${hive}/edit`, mine)).html)).toContain("Hive saved.");
    expect((await visits())[0]).toBe("V1 feeding 4 0 ");
    const again = await typed(office, { [`visits.${one}.frames`]: "5" });
    await change(one, { code: "V1", kind: "feeding", frames: "6" });
    const told = await office.post(`${hive}/edit`, again);
    expect([told.status, (await visits())[0]]).toEqual([422, "V1 feeding 6 0 "]);
    expect(textOf(told.html)).toContain("Somebody else changed this to “6” meanwhile.");
    await office.post(`${hive}/edit`, formOf(told.html));
    expect((await visits())[0]).toBe("V1 feeding 5 0 ");
    // One that is gone can be added again; one that was changed isn't removed unseen.
    const gone = await typed(office, { [`visits.${one}.frames`]: "8" });
    const unseen = await typed(office, { [`visits.${one}._remove`]: "yes" });
    await change(one, { code: "V1", kind: "look", frames: "5" });
    expect(textOf((await office.post(`${hive}/edit`, unseen)).html)).toContain(
      "Somebody else changed this meanwhile.",
    );
    await save({ [`visits.${one}._remove`]: "yes" });
    const asNew = await office.post(`${hive}/edit`, gone);
    expect([asNew.status, textOf(asNew.html)]).toEqual([
      422,
      expect.stringContaining("deleted this"),
    ]);
    await office.post(`${hive}/edit`, formOf(asNew.html));
    expect(await visits()).toContain("V1 feeding 8 0 ");
  });

  it("aren't removed where something belongs to them", async () => {
    const [three, before] = [await idOf("V3"), await visits()];
    await office.submit("/samples/new", { visit_id: String(three), code: "S" });
    const answer = await save({ [`visits.${three}._remove`]: "yes", strength: "1" });
    expect([answer.status, await visits()]).toEqual([422, before]);
    expect(textOf(answer.html)).toContain("Other records refer to it.");
    expect(formOf(answer.html)).toMatchObject({ [`visits.${three}._remove`]: ["yes"] });
  });

  it("follow the rights of each record and field, and belong to no other record", async () => {
    const helper = await Visitor.of(app.address, "helpers");
    const [three, one] = [await idOf("V3"), await idOf("V1")];
    await change(one, { seen: "yes", cost: "42" });
    const before = await visits();
    const { html } = await helper.get(`${hive}/edit`);
    const form = formOf(html);
    expect(html).not.toMatch(/visits\.\w+\.cost|42\.0|visits\.\d+\._remove"/);
    expect(Object.keys(form)).toContain(`visits.${one}.code`);
    // Neither what is read only nor a record that isn't theirs to change.
    expect(Object.keys(form)).not.toContain(`visits.${one}.frames`);
    expect(Object.keys(form)).not.toContain(`visits.${three}.code`);
    expect(textOf((await helper.post(`${hive}/edit`, form)).html)).toContain("Hive saved.");
    for (const over of [
      { [`visits.${one}.frames`]: "1" },
      { [`visits.${three}.code`]: "X", [`visits.${three}._was`]: '{"code":["V3"]}' },
      { [`visits.${three}._remove`]: "yes", [`visits.${three}._version`]: "1" },
      { "visits.new1.code": "X", "visits.new1.frames": "1" },
    ]) {
      const answer = await save({ strength: "5", ...over }, helper);
      expect([over, answer.status, await visits()]).toEqual([over, 422, before]);
    }
    // A field that isn't in the row is left out, whoever sends it.
    await save({ [`visits.${one}.cost`]: "1", [`visits.${one}.code`]: "V1b" }, helper);
    const [cost] = await project.rows<{ cost: unknown }>(
      `select cost from visit where id = ${one}`,
    );
    expect(Number(cost?.cost)).toBe(42);
    const other = await office.submit("/hives/new", { code: "B-2", "visits.new1.code": "O" });
    const stolen = await office.post(`${other.path}/edit`, {
      ...formOf((await office.get(`${other.path}/edit`)).html),
      [`visits.${one}.code`]: "stolen",
      [`visits.${one}._was`]: "{}",
    });
    expect(stolen.status).toBe(422);
    expect(await visits()).not.toContainEqual(expect.stringContaining("stolen"));
    // Who sees no visits neither sees their rows nor sends any.
    const clerk = await Visitor.of(app.address, "clerks");
    expect((await clerk.get(`${hive}/edit`)).html).not.toContain("visits");
    const clerks = await save({ [`visits.${one}.code`]: "X", "visits.new1.code": "X" }, clerk);
    expect(textOf(clerks.html)).toContain("Hive saved.");
    expect((await visits()).filter((each) => each.startsWith("X"))).toEqual([]);
  });

  it("are shown up to a number, and the others are led to", async () => {
    const many = Object.fromEntries(
      Array.from({ length: 25 }, (_, at) => [`visits.new${at + 1}.code`, `W${10 + at}`]),
    );
    const { path } = await office.post(
      "/hives/new",
      await typed(office, { code: "B-3", ...many }, "/hives/new"),
    );
    const { html } = await office.get(`${path}/edit`);
    expect(html.match(/data-row="visits\.\d+\."/g)).toHaveLength(20);
    expect(textOf(html)).toContain("5 more are in the list: visits");
    const [, href = ""] = /in the list: <a href="([^"]*)"/.exec(html) ?? [];
    expect(textOf((await office.get(href)).html)).toContain("25 visits");
    const flood = Array.from({ length: 300 }, (_, at) => [`visits.new${at}.code`, "x"]);
    expect((await office.post(`${path}/edit`, Object.fromEntries(flood))).status).toBe(413);
    expect((await office.get("/visits?search=W")).html).toContain("25 visits");
  });
});

it("are said in the model with words that fit", async () => {
  const folder = projectWith(model.replace("as list", "as table"));
  const { status, err } = await levadura(["check"], folder);
  expect([status, err]).toEqual([1, expect.stringContaining("`as` is `rows` or `list`")]);
  writeFileSync(join(folder, "model.yaml"), model.replace("as list", "as rows"));
  expect((await levadura(["check"], folder)).status).toBe(0);
});
