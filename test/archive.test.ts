import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { rowsOf } from "./support/database.ts";
import { kinds, modelOn, projectOn } from "./support/kinds.ts";
import { levadura, projectWith, type Running, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Frames, database: sqlite}
users:
  groups: {bees: Bees, guests: Guests}
  rights: {bees: everything, guests: see}
entities:
  Box:
    plural: Boxes
    title: "{name}"
    archive: yes
    fields:
      name: text, required, unique
      archived: boolean
    seed:
      fixed:
        - {name: Alder box}
        - {name: Beech box}
        - {name: Cedar box}
        - {name: Ash box}
  Frame:
    title: "{code}"
    fields:
      code: text, required, unique
      box: one Box
    seed:
      fixed:
        - {code: F-1, box: Alder box}
        - {code: F-2, box: Beech box}
`;

describe.each(kinds)("archived records over $kind", (kind) => {
  const project = projectOn(kind, model);
  let server: Running;
  let bee: Visitor;
  let guest: Visitor;

  beforeAll(async () => {
    server = await running(["rise"], project.folder);
    bee = await Visitor.of(server.address, "bees");
    guest = await Visitor.of(server.address, "guests");
  }, 120_000);
  afterAll(async () => {
    await server.stop();
    await project.remove();
  });

  const idOf = async (name: string) => {
    const [box] = await project.rows<{ id: number }>(`select id from box where name = '${name}'`);
    return box?.id;
  };
  const names = async (query = "") => {
    const { html } = await bee.get(`/boxes${query}`);
    return [...html.matchAll(/<td[^>]*><a href="\/boxes\/\d[^"]*">([^<]+)<\/a>/g)]
      .map(([, name]) => name)
      .sort();
  };

  it("leave lists and lookups, stay where they are referred to, and come back", async () => {
    const alder = await idOf("Alder box");
    const asked = await bee.get(`/boxes/${alder}/archive`);
    expect(textOf(asked.html)).toContain("Archive Alder box?");
    const done = await bee.submit(`/boxes/${alder}/archive`);
    expect(textOf(done.html)).toMatch(/Archived .*: lists and lookups leave it out/);
    expect(await names()).toEqual(["Ash box", "Beech box", "Cedar box"]);
    expect(await names("?archived=only")).toEqual(["Alder box"]);
    expect(await names("?archived=all")).toHaveLength(4);
    expect(textOf((await bee.get("/boxes?archived=only")).html)).toContain("Archived ones only");
    // A field that is called as what a list reads itself is filtered by as ever.
    expect(await names("?archived.=yes")).toEqual([]);
    expect(textOf((await bee.get("/")).html)).toMatch(/Boxes 3/);
    const found = await bee.get("/-/find?words=Alder");
    expect([found.html.includes(">F-1<"), found.html.includes(">Alder box<")]).toEqual([
      true,
      false,
    ]);
    const frame = await bee.get("/frames/new");
    expect(frame.html).not.toContain("Alder box");
    // Where it was chosen already, it stays so.
    expect((await bee.get("/frames")).html).toContain("Alder box");
    const [first] = await project.rows<{ id: number }>("select id from frame where code = 'F-1'");
    const saved = await bee.submit(`/frames/${first?.id}/edit`, {
      code: "F-1b",
      box_id: String(alder),
    });
    expect(textOf(saved.html)).toContain("F-1b");
    expect((await project.rows("select box_id from frame where code = 'F-1b'"))[0]).toEqual({
      box_id: alder,
    });
    const history = await bee.get(`/boxes/${alder}/history`);
    expect(textOf(history.html)).toContain("Archived");
    expect(textOf((await bee.get(`/boxes/${alder}/archive`)).html)).toContain("Bring back");
    const back = await bee.submit(`/boxes/${alder}/archive`);
    expect(textOf(back.html)).not.toContain("lists and lookups leave it out");
    expect(await names()).toHaveLength(4);
  });

  it("are archived, and brought back, many at once", async () => {
    const short = await idOf("Ash box");
    const cedar = await idOf("Cedar box");
    const list = await bee.get("/boxes");
    expect(list.html).toContain("/boxes/bulk/archive");
    expect(list.html).not.toContain("/boxes/bulk/restore");
    const gone = await bee.submit(`/boxes/bulk/archive?id=${short}&id=${cedar}`);
    expect(textOf(gone.html)).toContain("Archived: 2 boxes");
    expect(await names()).toEqual(["Alder box", "Beech box"]);
    expect((await bee.get("/boxes?archived=only")).html).toContain("/boxes/bulk/restore");
    const back = await bee.submit("/boxes/bulk/restore?archived=only");
    expect(textOf(back.html)).toContain("Brought back: 2 boxes");
    expect(await project.rows("select id from box where archived_at is not null")).toEqual([]);
  });

  it("are archived by those who may change them, as they saw them", async () => {
    const beech = await idOf("Beech box");
    expect((await guest.get(`/boxes/${beech}`)).html).not.toContain("/archive");
    expect((await guest.get(`/boxes/${beech}/archive`)).status).toBe(403);
    expect((await guest.post(`/boxes/${beech}/archive`, { _archived: "yes" })).status).toBe(403);
    const old = await bee.post(`/boxes/${beech}/archive`, { _archived: "yes", _version: "99" });
    expect(old.status).toBe(409);
    expect(await names()).toContain("Beech box");
  });
});

describe.each(kinds)("archived records that free unique values, over $kind", (kind) => {
  const project = projectOn(kind, model);
  const folder = project.folder;
  let server: Running | undefined;
  afterAll(async () => {
    await server?.stop();
    await project.remove();
  });
  const say = (archive: string) =>
    writeFileSync(
      join(folder, "model.yaml"),
      modelOn(kind, model).replace("archive: yes", `archive: ${archive}`),
    );
  const done = async (...command: string[]) =>
    expect(await levadura(command, folder)).toMatchObject({ status: 0 });
  const boxes = () =>
    project.rows<{ id: number; name: string; old: number }>(
      "select id, name, case when archived_at is null then 0 else 1 end as old from box where name = 'Ash box' order by id",
    );

  it("count them no longer once the model says so, and again if it no longer does", async () => {
    for (const command of ["prepare", "migrate", "seed"]) await done(command);
    say("frees unique values");
    const told = await levadura(["changes"], folder);
    expect(told.out).toContain("box (name) has to be unique among the rows in use only");
    await done("prepare");
    await done("migrate");
    expect((await levadura(["changes", "--check"], folder)).status).toBe(0);
    server = await running(["rise"], folder);
    const bee = await Visitor.of(server.address, "bees");
    const [first] = await boxes();
    const taken = await bee.submit("/boxes/new", { name: "ash box" });
    expect([taken.status, (await boxes()).length]).toEqual([422, 1]);
    await bee.submit(`/boxes/${first?.id}/archive`);
    expect((await bee.submit("/boxes/new", { name: "Ash box" })).status).toBe(200);
    expect((await boxes()).map(({ old }) => old)).toEqual([1, 0]);
    const back = await bee.submit(`/boxes/${first?.id}/archive`);
    expect([back.status, textOf(back.html)]).toEqual([
      409,
      expect.stringContaining("Another box in use has a value that must be unique"),
    ]);
    const [, second] = await boxes();
    await bee.submit(`/boxes/${second?.id}/archive`);
    await bee.submit(`/boxes/${first?.id}/archive`);
    expect((await boxes()).map(({ old }) => old)).toEqual([0, 1]);
    await server.stop();
    server = undefined;
  });

  it("are not meant by a key that one in use has, too", async () => {
    const [used] = await boxes();
    mkdirSync(join(folder, "data"), { recursive: true });
    const rows = ["F-8,Ash box", "F-9,ASH BOX"];
    writeFileSync(join(folder, "data", "Frame.csv"), `code,box\n${rows.join("\n")}\n`);
    writeFileSync(join(folder, "data", "Box.csv"), "name,archived\nAsh box,yes\n");
    await done("import", "--yes");
    expect(
      await project.rows("select code, box_id from frame where code >= 'F-8' order by code"),
    ).toEqual(["F-8", "F-9"].map((code) => ({ code, box_id: used?.id })));
    expect(await boxes()).toHaveLength(2);
  });

  it("count again only where no two have the same", async () => {
    say("yes");
    const told = await levadura(["changes"], folder);
    expect(told.out).toContain("box (name) has to be unique among archived rows too");
    await done("prepare");
    const refused = await levadura(["migrate"], folder);
    expect([refused.status, refused.err]).toEqual([
      1,
      expect.stringContaining("rows of box have the same name"),
    ]);
  });
});

describe("`archive` in a model", () => {
  it("is yes or no, and says so where a field is called as its own", async () => {
    const odd = projectWith(model.replace("archive: yes", "archive: often"));
    expect((await levadura(["check"], odd)).err).toContain(
      "`archive` is yes, no or `frees unique values`",
    );
    const taken = projectWith(model.replace("archived: boolean", "archived_at: date"));
    expect((await levadura(["check"], taken)).err).toContain("says when a record was archived");
  });

  it("is a column more, which sample rows leave blank", async () => {
    const [before = "", rest = ""] = model.split(/ {4}seed:\n {6}fixed:\n {8}- \{name/);
    const folder = projectWith(
      `${before}    seed: 30\n${rest.slice(rest.indexOf("  Frame:"))}`.replace(
        / {4}seed:\n {6}fixed:[\s\S]*/,
        "",
      ),
    );
    for (const command of ["prepare", "migrate", "seed"])
      expect(await levadura([command], folder)).toMatchObject({ status: 0, err: "" });
    expect(
      rowsOf(
        join(folder, "records.db"),
        "select count(*) as n, count(archived_at) as archived from box",
      ),
    ).toEqual([{ n: 30, archived: 0 }]);
  });
});
