import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { rowsOf } from "./support/database.ts";
import { kinds, projectOn } from "./support/kinds.ts";
import { Chance } from "./support/pairs.ts";
import { levadura, projectWith, type Running, running } from "./support/program.ts";
import { Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Stations, database: sqlite}
users:
  groups: {bees: Bees, guests: Guests, most: Most}
  rights: {bees: everything, guests: see}
entities:
  Station:
    title: "{name}"
    sort: by hand
    rights: {bees: everything, guests: [see, hide secret], most: [see where name <> "S8", change where name <> "S8"]}
    fields:
      name: text, required, unique
      secret: text
    seed:
      fixed: [{name: S1}, {name: S2}, {name: S3}, {name: S4}, {name: S5}, {name: S6}, {name: S7}, {name: S8}]
`;

describe.each(kinds)("a list in an order by hand over $kind", (kind) => {
  const project = projectOn(kind, model);
  let server: Running;
  let bee: Visitor;
  let other: Visitor;
  let guest: Visitor;
  const ids = new Map<string, number>();

  beforeAll(async () => {
    server = await running(["rise"], project.folder);
    [bee, other, guest] = [
      await Visitor.of(server.address, "bees"),
      await Visitor.of(server.address, "bees"),
      await Visitor.of(server.address, "guests"),
    ];
  }, 120_000);
  afterAll(async () => {
    await server.stop();
    await project.remove();
  });

  const names = async (visitor = bee, query = "") => {
    const { html } = await visitor.get(`/stations${query}`);
    return [...html.matchAll(/<td[^>]*><a href="\/stations\/\d[^"]*">([^<]+)<\/a>/g)].map(
      ([, name = ""]) => name,
    );
  };
  const read = async () => {
    for (const { id, name } of await project.rows<{ id: number; name: string }>(
      "select id, name from station",
    ))
      ids.set(name, id);
  };
  const put = (visitor: Visitor, name: string, side: "before" | "after", beside: string) =>
    visitor.post("/stations/order", {
      record: String(ids.get(name)),
      [side]: String(ids.get(beside)),
    });
  /** The order that a move makes, in memory. */
  const moved = (order: readonly string[], name: string, side: string, beside: string) => {
    if (name === beside) return [...order];
    const rest = order.filter((each) => each !== name);
    rest.splice(rest.indexOf(beside) + (side === "after" ? 1 : 0), 0, name);
    return rest;
  };

  it("is the one in which people put its records, however often", async () => {
    await read();
    let order = ["S1", "S2", "S3", "S4", "S5", "S6", "S7", "S8"];
    expect(await names()).toEqual(order);
    const chance = new Chance(5);
    for (let turn = 0; turn < 40; turn++) {
      const [name, beside] = [chance.of(order), chance.of(order)];
      const side = chance.happens(50) ? "before" : "after";
      expect((await put(bee, name, side, beside)).status).toBe(200);
      order = moved(order, name, side, beside);
      if (turn % 8 === 0) {
        const added = `N${turn}`;
        await bee.submit("/stations/new", { name: added });
        await read();
        order.push(added);
      }
      expect([turn, await names()]).toEqual([turn, order]);
    }
    // Again and again into the same place, until there is no room between two places.
    for (let turn = 0; turn < 60; turn++) {
      const name = order[2 + (turn % 2)] as string;
      await put(bee, name, "before", order[1] as string);
      order = moved(order, name, "before", order[1] as string);
    }
    expect(await names()).toEqual(order);
    expect(await names(bee, "?size=25&sort=-name")).toEqual([...order].sort().reverse());
    // Who doesn't see all fields sees them in the same order.
    expect(await names(guest)).toEqual(order);
  });

  it("stays whole when two people put records in order at once, and records go meanwhile", async () => {
    const order = await names();
    const chance = new Chance(9);
    const moves = Array.from({ length: 40 }, (_, at) =>
      put(
        at % 2 === 0 ? bee : other,
        chance.of(order),
        chance.happens(50) ? "before" : "after",
        chance.of(order),
      ),
    );
    const gone = order[3] as string;
    const deleted = bee.submit(`/stations/${ids.get(gone)}/delete`);
    for (const answer of await Promise.all(moves)) expect([200, 404, 409]).toContain(answer.status);
    await deleted;
    const now = await names();
    expect([...now].sort()).toEqual(order.filter((name) => name !== gone).sort());
    expect(await names(other)).toEqual(now);
    expect(new Set(now).size).toBe(now.length);
  });

  it("is changed by those who may, and for records that are there", async () => {
    const before = await names();
    expect((await guest.get("/stations")).html).not.toContain("/stations/order");
    expect((await guest.get("/stations/order")).status).toBe(403);
    const [first = "", , last = ""] = before;
    expect((await put(guest, last, "before", first)).status).toBe(403);
    const missing = await bee.post("/stations/order", {
      record: String(ids.get(first)),
      after: "99999",
    });
    expect(missing.status).toBe(409);
    const odds: Record<string, string>[] = [
      {},
      { record: "1" },
      { record: "x", before: "1" },
      { record: "1", before: "1 or 1=1" },
    ];
    for (const odd of odds) expect((await bee.post("/stations/order", odd)).status).toBe(404);
    // A record out of sight can't be told from one that isn't there.
    expect(before).toContain("S8");
    const most = await Visitor.of(server.address, "most");
    expect(await names(most)).not.toContain("S8");
    expect((await put(most, "S1", "after", "S8")).status).toBe(409);
    expect((await put(most, "S8", "after", "S1")).status).not.toBe(200);
    expect(await names()).toEqual(before);
    const { html } = await bee.get("/stations/order");
    expect(html).toContain(`Move ${first} down`);
  });
});

describe("`sort: by hand`", () => {
  it("is a migration of its own, there and back, and says where its column is taken", async () => {
    const folder = projectWith(model.replace("    sort: by hand\n", ""));
    const run = async (...args: string[]) =>
      expect(await levadura(args, folder)).toMatchObject({ status: 0, err: "" });
    for (const command of ["prepare", "migrate", "seed"]) await run(command);
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate"]) await run(command);
    const columns = () =>
      rowsOf(join(folder, "records.db"), "select name from pragma_table_info('station')").map(
        ({ name }) => name,
      );
    expect(columns()).toContain("hand_order");
    await run("rewind", "--yes");
    expect(columns()).not.toContain("hand_order");
    const taken = projectWith(
      model.replace("secret: text", "hand_order: text").replace("hide secret", "hide hand_order"),
    );
    expect((await levadura(["check"], taken)).err).toContain("is the place of a record");
  });
});
