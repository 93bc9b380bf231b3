import { randomUUID } from "node:crypto";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { type Running, running } from "./support/program.ts";
import { Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app:
  name: Hive Book
  database: sqlite
users:
  groups: {members: Members, wardens: Wardens}
entities:
  Keeper:
    title: "{name}"
    fields: {name: "text, required, unique"}
    rights: {wardens: everything, members: see where name = 'Ana'}
    seed:
      fixed: [{name: Ana}, {name: Ben}]
  Hive:
    title: "{code}"
    fields:
      code: text ..10, required, unique
      keeper: one Keeper
      frames: integer 0..40
      price: money
    columns: [code, keeper, frames, price]
    rights: {members: [see, change where code <> 'H2', hide price, read only keeper], wardens: everything}
    seed:
      fixed:
        - {code: H1, keeper: Ana, frames: 1, price: 10}
        - {code: H2, keeper: Ben, frames: 2, price: 20}
`;

interface Row {
  id: number;
  code: string;
  keeper_id: number | null;
  frames: number;
  price: number | string;
  version: number;
}

describe.each(kinds)("rows sent by a grid over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let member: Visitor;
  let warden: Visitor;

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    [member, warden] = [new Visitor(app.address), new Visitor(app.address)];
    await member.post("/-/sample", { group: "members" });
    await warden.post("/-/sample", { group: "wardens" });
  }, 60_000);
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  const hives = () =>
    project.rows<Row>("select id, code, keeper_id, frames, price, version from hive order by code");
  const hive = async (code: string) =>
    (await hives()).find((row) => row.code === code) ?? expect.fail(`there is no ${code}`);
  /** A row as the page sends it. */
  const row = ({ id, version }: Pick<Row, "id" | "version">, cells: Record<string, unknown>) => ({
    token: randomUUID(),
    record: { id, version },
    cells,
  });
  const send = async (visitor: Visitor, ...rows: unknown[]) => {
    const { status, html } = await visitor.json("/hives/grid", { rows });
    expect([status, html]).toEqual([200, expect.stringContaining("rows")]);
    return (JSON.parse(html) as { rows: Record<string, unknown>[] }).rows;
  };

  it("save what the person may change, and keep what they don't see as it is", async () => {
    const first = await hive("H1");
    const [answer] = await send(
      member,
      row(first, {
        frames: { text: "7" },
        price: { text: "0" },
        nonsense: { text: "x" },
        id: { text: "9" },
      }),
    );
    expect(answer?.saved).toContain(`data-version="${first.version + 1}"`);
    expect(answer?.saved).not.toContain("10");
    expect(await hive("H1")).toMatchObject({
      frames: 7,
      price: first.price,
      keeper_id: first.keeper_id,
    });
    const page = await member.get("/hives/grid");
    expect(page.html).not.toMatch(/price|Price/);
    // The keeper can be read only: nothing is typed into it, and what is sent all the same isn't looked at.
    expect(page.html).not.toContain('data-field="keeper_id"');
    await send(
      member,
      row(await hive("H1"), { keeper_id: { text: "Ben" }, frames: { text: "8" } }),
    );
    expect(await hive("H1")).toMatchObject({ frames: 8, keeper_id: first.keeper_id });
  });

  it("refuse rows that the person may not change, and go on with the others", async () => {
    const [one, two] = [await hive("H1"), await hive("H2")];
    const answers = await send(
      member,
      row(two, { frames: { text: "9" } }),
      row(one, { frames: { text: "9" } }),
    );
    expect(answers[0]).toEqual({ errors: { "": "You may not change this." } });
    expect(answers[1]).toHaveProperty("saved");
    expect(await hive("H2")).toEqual(two);
    expect((await member.get("/hives/grid")).html).toMatch(
      /data-id="\d+" data-version="\d+"><th scope="row"><a[^>]*>H2<\/a><\/th><td data-fixed/,
    );
    const added = await send(member, { token: randomUUID(), cells: { code: { text: "H9" } } });
    expect(added).toEqual([{ errors: { "": "You may not change this." } }]);
    expect(await hives()).toHaveLength(2);
  });

  it("offer and find only records in sight", async () => {
    const offers = async (visitor: Visitor, field: string) =>
      (
        JSON.parse((await visitor.get(`/hives/grid/offers?field=${field}&words=`)).html) as {
          title: string;
        }[]
      ).map(({ title }) => title);
    expect(await offers(member, "keeper_id")).toEqual(["Ana"]);
    expect((await offers(warden, "keeper_id")).sort()).toEqual(["Ana", "Ben"]);
    for (const field of ["price", "code", "nonsense", "__proto__"])
      expect(await offers(warden, field)).toEqual([]);
    const [answer] = await send(warden, row(await hive("H2"), { keeper_id: { text: "Nobody" } }));
    expect(answer).toEqual({ errors: { keeper_id: "None is called “Nobody”." } });
  });

  it("save once what is sent twice, and tell what somebody else saved meanwhile", async () => {
    const old = await hive("H2");
    const sent = row(old, { frames: { text: "21" } });
    const [one] = await send(warden, sent);
    const [two] = await send(warden, sent);
    expect(two).toEqual(one);
    expect(await hive("H2")).toMatchObject({ frames: 21, version: old.version + 1 });
    const [stale] = await send(warden, row(old, { frames: { text: "22" } }));
    expect(stale?.changed).toContain('data-text="21"');
    const fresh = { token: randomUUID(), cells: { code: { text: "H3" } } };
    await Promise.all([send(warden, fresh), send(warden, fresh)]);
    expect((await hives()).filter(({ code }) => code === "H3")).toHaveLength(1);
    const [gone] = await send(warden, row({ id: 4711, version: 1 }, { frames: { text: "1" } }));
    expect(gone).toEqual({ gone: true });
  });

  it.each([
    ["no JSON", "{"],
    ["something else", { rows: "all" }],
    ["too many rows", { rows: Array.from({ length: 51 }, () => ({ token: "", cells: {} })) }],
    [
      "numbers that are none",
      { rows: [{ token: "", record: { id: 0.5, version: 1 }, cells: {} }] },
    ],
    ["a nested value", { rows: [{ token: "", cells: { code: { text: { $gt: "" } } } }] }],
  ])("are refused whole where they are %s", async (_, content) => {
    const before = await hives();
    expect((await warden.json("/hives/grid", content)).status).toBe(400);
    expect(await hives()).toEqual(before);
  });

  it("are only taken from the application's own pages, of those who are signed in", async () => {
    const body = JSON.stringify({ rows: [] });
    const headers = { "content-type": "application/json", origin: "http://example.org" };
    const strange = await fetch(`${app.address}/hives/grid`, { method: "POST", body, headers });
    expect(strange.status).toBe(403);
    expect((await new Visitor(app.address).json("/hives/grid", { rows: [] })).status).toBe(401);
  });
});
