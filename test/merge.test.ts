import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { type Running, running } from "./support/program.ts";
import { hiddenInputs, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en, database: sqlite}
users:
  groups: {office: Office, guests: Guests}
  rights: {office: everything, guests: [see, history]}
entities:
  Keeper:
    seed: 0
    fields: {name: "text, required, unique", phone: text, mentor: one Keeper, friends: many Keeper, papers: "file ..3"}
  Hive:
    title: "{code}"
    seed: 0
    fields: {code: "text, required, unique", keeper: one Keeper, helpers: many Keeper, queen: "one Keeper, unique"}
    rules: [Nobody keeps the hive alone.: "= keeper is empty or code <> 'LOCKED' or keeper.name = 'Ana'"]
  Visit:
    title: "{note}"
    seed: 0
    fields: {note: "text, required", keeper: part of Keeper}
`;

describe.each(kinds)("merging over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  const ids = new Map<string, number>();

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "office");
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  const add = async (path: string, name: string, fields: Record<string, string | string[]>) => {
    const form = await office.get(`/${path}/new`);
    const saved = await office.post(`/${path}/new`, { ...hiddenInputs(form.html), ...fields });
    expect(textOf(saved.html)).toContain("saved");
    ids.set(name, Number(/\/(\d+)-/.exec(saved.path)?.[1]));
  };
  const id = (name: string) => String(ids.get(name));
  const rows = (statement: string) => project.rows<Record<string, unknown>>(statement);

  it("moves references, keeps what was chosen, and deletes the other record", async () => {
    await add("keepers", "ana", { name: "Ana", phone: "" });
    await add("keepers", "ana2", {
      name: "Ana R.",
      phone: "555",
      mentor_id: id("ana"),
      friends: [id("ana")],
    });
    await add("keepers", "ben", {
      name: "Ben",
      mentor_id: id("ana2"),
      friends: [id("ana"), id("ana2")],
    });
    await add("hives", "h1", {
      code: "H-1",
      keeper_id: id("ana2"),
      helpers: [id("ana"), id("ana2")],
    });
    await add("hives", "h2", {
      code: "H-2",
      keeper_id: id("ana"),
      helpers: [id("ana2"), id("ben")],
    });
    await add("visits", "v1", { note: "one", keeper_id: id("ana2") });
    const found = await office.get(`/keepers/${id("ana")}/merge?words=ana`);
    expect(found.html).toContain(`/merge?with=${id("ana2")}"`);
    expect(found.html).not.toContain(`with=${id("ana")}"`);
    const path = `/keepers/${id("ana")}/merge?with=${id("ana2")}`;
    const page = await office.get(path);
    expect(textOf(page.html)).toMatch(/Ana stays, .* Ana R\. is deleted/);
    expect(page.html).toMatch(/name="_of.phone" value="gone" checked/);
    expect(page.html).toMatch(/name="_of.name" value="kept" checked/);
    const fields = { ...hiddenInputs(page.html), "_of.name": "gone", "_of.phone": "gone" };
    // Sent twice, it is done once.
    for (const { html } of [await office.post(path, fields), await office.post(path, fields)])
      expect(textOf(html)).toContain("Ana R. was merged into this record.");
    expect(await rows("select id, name, phone, mentor_id from keeper order by id")).toEqual([
      { id: ids.get("ana"), name: "Ana R.", phone: "555", mentor_id: null },
      { id: ids.get("ben"), name: "Ben", phone: null, mentor_id: ids.get("ana") },
    ]);
    expect(await rows("select code, keeper_id from hive order by code")).toEqual([
      { code: "H-1", keeper_id: ids.get("ana") },
      { code: "H-2", keeper_id: ids.get("ana") },
    ]);
    expect(await rows("select hive_id, keeper_id from hive_helpers order by 1, 2")).toEqual([
      { hive_id: ids.get("h1"), keeper_id: ids.get("ana") },
      { hive_id: ids.get("h2"), keeper_id: ids.get("ana") },
      { hive_id: ids.get("h2"), keeper_id: ids.get("ben") },
    ]);
    expect(await rows("select note, keeper_id from visit")).toEqual([
      { note: "one", keeper_id: ids.get("ana") },
    ]);
    // The log has the deletion and each change.
    const log = textOf((await office.get(`/keepers/${id("ana")}/history`)).html);
    expect(log).toMatch(/Phone: — → 555/);
    expect(
      await rows(
        "select action from levadura_change where entity_table = 'keeper' and action = 'delete'",
      ),
    ).toHaveLength(1);
  });

  it("does nothing where something is in the way, and says what", async () => {
    await add("keepers", "cleo", { name: "Cleo" });
    await add("keepers", "cleo2", { name: "Cleo B." });
    await add("hives", "h3", { code: "H-3", queen_id: id("cleo") });
    await add("hives", "h4", { code: "H-4", queen_id: id("cleo2") });
    const path = `/keepers/${id("cleo")}/merge?with=${id("cleo2")}`;
    const before = await rows("select * from keeper order by id");
    const page = await office.get(path);
    const refused = await office.post(path, { ...hiddenInputs(page.html), "_of.name": "kept" });
    expect([refused.status, textOf(refused.html)]).toEqual([
      409,
      expect.stringMatching(
        /Nothing was changed\. H-4 can't be changed: Another hive has this already/,
      ),
    ]);
    expect(await rows("select * from keeper order by id")).toEqual(before);
    // Somebody changed one of the two meanwhile.
    const edit = await office.get(`/keepers/${id("cleo2")}/edit`);
    await office.post(`/keepers/${id("cleo2")}/edit`, {
      ...hiddenInputs(edit.html),
      name: "Cleo C.",
    });
    const stale = await office.post(path, { ...hiddenInputs(page.html), "_of.name": "kept" });
    expect(stale.status).toBe(409);
    expect(await rows("select name from keeper where name = 'Cleo C.'")).toHaveLength(1);
    const guest = await Visitor.of(app.address, "guests");
    expect((await guest.get(path)).status).toBe(403);
    expect((await guest.post(path, hiddenInputs(page.html))).status).toBe(403);
    for (const wrong of ["with=999999", `with=${id("cleo")}`, "with=x"])
      expect((await office.post(`/keepers/${id("cleo")}/merge?${wrong}`, {})).status).toBe(404);
  });

  it("takes over the files of the other record where that is chosen", async () => {
    const uploaded = async (name: string, content: string) => {
      const { html } = await office.get("/keepers/new");
      const papers = new File([content], `${name}.txt`, { type: "text/plain" });
      const { path } = await office.upload("/keepers/new", {
        ...{ ...hiddenInputs(html), name, papers },
      });
      return Number(/\/(\d+)-/.exec(path)?.[1]);
    };
    const [own, other, third] = [
      await uploaded("Own papers", "own\n"),
      await uploaded("Other papers", "other\n"),
      await uploaded("Third papers", "third\n"),
    ];
    const merged = async (gone: number, choice: string) => {
      const path = `/keepers/${own}/merge?with=${gone}`;
      const { html } = await office.get(path);
      expect(html).toMatch(/name="_of.papers" value="kept" checked/);
      const fields = { ...hiddenInputs(html), "_of.name": "kept", "_of.papers": choice };
      expect((await office.post(path, fields)).status).toBe(200);
      const page = (await office.get(`/keepers/${own}`)).html;
      const [, file = ""] = /href="([^"]*\/papers\/[^"]*)"/.exec(page) ?? [];
      return (await office.bytes(file)).content.toString();
    };
    expect(await merged(other, "gone")).toBe("other\n");
    expect(await merged(third, "kept")).toBe("other\n");
  });

  it("is offered where a record can't be deleted", async () => {
    const page = await office.get(`/keepers/${id("cleo")}/delete`);
    expect(page.html).toContain("/merge?goes=yes");
    const others = await office.get(`/keepers/${id("cleo")}/merge?goes=yes&words=Ben`);
    expect(others.html).toContain(`-ben/merge?with=${id("cleo")}"`);
  });
});
