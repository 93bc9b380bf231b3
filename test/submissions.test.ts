import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { levadura, type Running, running } from "./support/program.ts";
import { hiddenInputs, inputValue, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite, timezone: Europe/Madrid}
entities:
  Hive:
    title: "{name}"
    fields:
      name: text, required
      mother: one Hive
      state: choice active | retired, default active
      removed: date, shown when state = 'retired'
      seen: datetime
      day: date
      weight: decimal, places 6
      size: integer
      keepers: many Keeper
  Keeper: {fields: {name: "text, required"}}
  Inspection: {fields: {hive: part of Hive, at: datetime}}
`;

describe.each(kinds)("forms over $kind", (kind) => {
  let project: TestProject;
  let server: Running;
  let visitor: Visitor;
  beforeAll(async () => {
    project = projectOn(kind, model);
    for (const command of ["prepare", "migrate", "build"]) {
      expect(await levadura([command], project.folder)).toMatchObject({ status: 0 });
    }
    server = await running(["serve"], project.folder);
    visitor = new Visitor(server.address);
  });
  afterAll(async () => {
    await server.stop();
    await project.remove();
  });

  const hives = (name: string) =>
    project.rows<{ id: number; version: number; name: string; seen: string | null }>(
      `select * from hive where name = '${name}' order by id`,
    );
  const add = async (name: string, more: Record<string, string> = {}): Promise<number> => {
    await visitor.submit("/hives/new", { name, ...more });
    return (await hives(name)).at(-1)?.id ?? 0;
  };

  it("that are sent twice are saved once, one after the other and at the same time", async () => {
    const { html } = await visitor.get("/hives/new");
    const sent = { ...hiddenInputs(html), name: "Twice" };
    const first = await visitor.post("/hives/new", sent);
    const second = await visitor.post("/hives/new", sent);
    expect([first.path, second.path]).toEqual([first.path, first.path]);
    expect(textOf(second.html)).toContain("Hive saved: Twice");
    expect(await hives("Twice")).toHaveLength(1);
    const page = await visitor.get("/hives/new");
    const other = { ...hiddenInputs(page.html), name: "At once" };
    const people = Array.from({ length: 6 }, () => new Visitor(server.address));
    const answers = await Promise.all(people.map((person) => person.post("/hives/new", other)));
    expect(new Set(answers.map(({ path }) => path)).size).toBe(1);
    expect(answers.every(({ status }) => status === 200)).toBe(true);
    expect(await hives("At once")).toHaveLength(1);
  });

  it("that somebody went back to, and typed something else into, are another record", async () => {
    const { html } = await visitor.get("/hives/new");
    const sent = { ...hiddenInputs(html), name: "Back 1" };
    await visitor.post("/hives/new", sent);
    const next = await visitor.post("/hives/new", { ...sent, name: "Back 2" });
    expect(textOf(next.html)).toContain("Hive saved: Back 2");
    expect([await hives("Back 1"), await hives("Back 2")].map(({ length }) => length)).toEqual([
      1, 1,
    ]);
  });

  it("of an edit, sent twice, are no conflict with oneself", async () => {
    const id = await add("Edited");
    const { html, path } = await visitor.get(`/hives/${id}/edit`);
    const sent = { ...hiddenInputs(html), name: "Edited once", state: "active" };
    const [one, two] = [await visitor.post(path, sent), await visitor.post(path, sent)];
    expect([one.status, two.status, two.path]).toEqual([200, 200, one.path]);
    expect(await hives("Edited once")).toMatchObject([{ id, version: 2 }]);
  });

  it("say once what came of them, and nothing that somebody made up", async () => {
    const forged = Buffer.from('{"text":"x","link":{"text":"x","href":"//elsewhere"}}');
    for (const token of [forged.toString("base64url"), "0".repeat(36), "' or 1 = 1", "\u00e9"]) {
      const cookie = `flash=${encodeURIComponent(token)}`;
      const answer = await fetch(`${server.address}/hives`, { headers: { cookie } });
      expect(answer.status).toBe(200);
      expect(await answer.text()).not.toMatch(/role="status">\s*x|elsewhere/);
    }
    await visitor.submit("/hives/new", { name: "Told" });
    expect(textOf((await visitor.get("/hives")).html)).not.toContain("Told saved");
  });

  it("of a deletion are refused where the record or its parts changed since", async () => {
    const id = await add("Doomed");
    const open = await visitor.get(`/hives/${id}/delete`);
    const sent = hiddenInputs(open.html);
    await visitor.submit(`/hives/${id}/edit`, { name: "Doomed, but renamed", state: "active" });
    const changed = await visitor.post(`/hives/${id}/delete`, sent);
    expect([changed.status, textOf(changed.html)]).toEqual([
      409,
      expect.stringContaining("It was changed since this page was opened."),
    ]);
    await visitor.submit("/inspections/new", { hive_id: String(id) });
    const parts = await visitor.post(`/hives/${id}/delete`, { ...sent, _version: "2" });
    expect([parts.status, textOf(parts.html)]).toEqual([
      409,
      expect.stringContaining("1 inspection"),
    ]);
    for (const _version of ["abc", "", "1e3", "9".repeat(40), "-1"]) {
      expect((await visitor.post(`/hives/${id}/delete`, { ...sent, _version })).status).toBe(409);
      expect((await visitor.post(`/hives/${id}/edit`, { name: "x", _version })).status).toBe(409);
    }
    expect(await hives("Doomed, but renamed")).toHaveLength(1);
    const { path, html } = await visitor.get(`/hives/${id}/delete`);
    const gone = await visitor.post(path, hiddenInputs(html));
    expect([gone.path, textOf(gone.html)]).toEqual(["/hives", expect.stringContaining("deleted.")]);
    const again = await visitor.post(path, hiddenInputs(html));
    expect([again.status, again.path]).toEqual([200, "/hives"]);
  });

  it("for a record that was deleted keep what was typed, and save it as a new one", async () => {
    const id = await add("Gone meanwhile");
    const { html } = await visitor.get(`/hives/${id}/edit`);
    await visitor.submit(`/hives/${id}/delete`);
    const kept = await visitor.post(`/hives/${id}/edit`, {
      ...hiddenInputs(html),
      name: "Typed for long",
      state: "active",
    });
    expect(kept.status).toBe(409);
    expect(textOf(kept.html)).toContain(
      "somebody else deleted this record while you were editing it",
    );
    expect(inputValue(kept.html, "name")).toBe("Typed for long");
    expect(kept.html).toContain('action="/hives/new"');
    const saved = await visitor.post("/hives/new", {
      ...hiddenInputs(kept.html),
      name: "Typed for long",
      state: "active",
    });
    expect(saved.status).toBe(200);
    expect(await hives("Typed for long")).toHaveLength(1);
    expect((await visitor.get(`/hives/${id}/edit`)).status).toBe(404);
  });

  it("leave a moment alone that nobody changed: its seconds, and which hour of autumn it was", async () => {
    const id = await add("Autumn");
    for (const moment of ["2026-10-25T01:30:00Z", "2026-10-25T00:30:00Z", "2026-05-03T07:00:59Z"]) {
      const literal = kind.kind === "mariadb" ? moment.slice(0, 19).replace("T", " ") : moment;
      await project.rows(`update hive set seen = '${literal}' where id = ${id}`);
      const { html } = await visitor.get(`/hives/${id}/edit`);
      const seen = inputValue(html, "seen") ?? "";
      await visitor.submit(`/hives/${id}/edit`, { name: "Autumn", state: "active", seen });
      expect((await hives("Autumn"))[0]?.seen).toBe(moment);
    }
    await visitor.submit(`/hives/${id}/edit`, {
      name: "Autumn",
      state: "active",
      seen: "2026-05-03T09:01",
    });
    expect((await hives("Autumn"))[0]?.seen).toBe("2026-05-03T07:01:00Z");
  });

  it("take the same odd values on every database, or refuse them with words", async () => {
    const values: [field: string, value: string, status: number][] = [
      ["seen", "0001-01-01T00:00", 422],
      ["seen", "0001-01-03T12:00", 200],
      ["seen", "9999-12-29T12:00", 200],
      ["seen", "9999-12-31T23:59", 422],
      ["seen", "0000-05-05T00:00", 422],
      ["seen", "2026-02-30T00:00", 422],
      ["day", "0001-01-01", 200],
      ["day", "9999-12-31", 200],
      ["day", "0000-01-01", 422],
      ["weight", "123456789.123456", 200],
      ["weight", "0.000015", 200],
      ["weight", "-999999999.999999", 200],
      ["weight", "1.0000001", 422],
      ["weight", `0.${"0".repeat(60)}1`, 422],
      ["size", "9007199254740991", 200],
      ["size", "9007199254740992", 422],
      ["size", "1e3", 422],
      ["mother_id", "999999999999999", 422],
      ["mother_id", "-1", 422],
      ["keepers", "999999999999999", 422],
      ["state", "__proto__", 422],
      ["name", "\u0000", 422],
      ["name", "\ud800", 200],
      ["name", "\u202e", 200],
    ];
    for (const [field, value, status] of values) {
      const fields = { name: "Odd", state: "active", [field]: value };
      const answer = await visitor.submit("/hives/new", fields);
      expect([field, value.slice(0, 30), answer.status]).toEqual([
        field,
        value.slice(0, 30),
        status,
      ]);
      if (status !== 200) continue;
      // What was saved can be shown, edited and listed.
      for (const path of [answer.path, `${answer.path}/edit`, "/hives"]) {
        expect((await visitor.get(path)).status).toBe(200);
      }
    }
    for (const query of [
      "page=-1",
      "page=1e9",
      "sort=__proto__",
      "mother_id=x",
      "search=%00%ff",
      "size=9e99",
    ]) {
      expect((await visitor.get(`/hives?${query}`)).status).toBe(200);
      expect((await visitor.get(`/hives/new?${query}`)).status).toBe(200);
    }
    for (const path of [
      "/hives/0",
      "/hives/-1",
      "/hives/999999999999999",
      "/hives/9999999999999999",
      "/hives/%00",
      "/hives/%ff",
    ]) {
      expect([path, (await visitor.get(path)).status]).toEqual([path, 404]);
    }
  });

  it("don't save what they didn't ask for", async () => {
    const sent = await visitor.submit("/hives/new", {
      name: "Sly",
      state: "active",
      removed: "2026-01-01",
    });
    expect([sent.status, textOf(sent.html)]).toEqual([
      422,
      expect.stringContaining("Removed: This isn’t asked for as things stand"),
    ]);
    expect(await hives("Sly")).toHaveLength(0);
    await visitor.submit("/hives/new", { name: "Open", state: "retired", removed: "2026-01-01" });
    expect(await hives("Open")).toMatchObject([{ removed: "2026-01-01" }]);
  });

  it("don't put a record above itself", async () => {
    const queen = await add("Root");
    const child = await add("Child", { mother_id: String(queen) });
    const grandchild = await add("Grandchild", { mother_id: String(child) });
    for (const mother of [queen, child, grandchild]) {
      const { status, html } = await visitor.submit(`/hives/${queen}/edit`, {
        name: "Root",
        state: "active",
        mother_id: String(mother),
      });
      expect([status, textOf(html)]).toEqual([
        422,
        expect.stringContaining("Mother: No hive can be above itself"),
      ]);
    }
    expect(await hives("Root")).toMatchObject([{ mother_id: null, version: 1 }]);
  });

  it("lead back to any address within the application, and to none outside", async () => {
    const back = (path: string) =>
      visitor.submit("/hives/new", { name: path.replace("elsewhere", "x"), _back: path });
    for (const path of ["//elsewhere", "/\\elsewhere", "https://elsewhere", "/a\nb", "/%00"]) {
      const { status } = await back(path);
      expect([200, 404]).toContain(status);
      expect(visitor.trail.join(" ")).not.toContain("elsewhere");
    }
    expect((await back("/hives?search=ñandú 蜂")).status).toBe(200);
    expect((await back("/hives?search=ñandú%20蜂")).path).toContain("/hives?search=");
    expect(await hives("/hives?search=ñandú%20蜂")).toHaveLength(1);
  });

  it("are refused where they have too many fields, and never end the application", async () => {
    const send = async (body: BodyInit, type?: string) => {
      const headers = { origin: server.address, ...(type && { "content-type": type }) };
      return (
        await fetch(`${server.address}/hives/new`, {
          method: "POST",
          headers,
          body,
          duplex: "half",
        } as RequestInit)
      ).status;
    };
    const form = "application/x-www-form-urlencoded";
    expect(await send("a&".repeat(900_000), form)).toBe(413);
    expect(await send(`name=${"x".repeat(2_500_000)}`, form)).toBe(413);
    const stream = new ReadableStream({
      pull: (controller) => controller.enqueue(new TextEncoder().encode("name=x&".repeat(10_000))),
    });
    expect([413, "cut"]).toContain(await send(stream, form).catch(() => "cut"));
    expect(await send("--x\r\nnonsense", "multipart/form-data; boundary=x")).toBe(400);
    expect(await send("--x\r\nnonsense", "multipart/form-data")).toBe(400);
    expect((await visitor.get("/hives")).status).toBe(200);
  });
});
