import { Ajv2020 } from "ajv/dist/2020.js";
import formats from "ajv-formats";
import sharp from "sharp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { type Ask, asking, bearer, edgesOf, type Shape, tokenOf } from "./support/api.ts";
import { kinds, projectOn } from "./support/kinds.ts";
import { type Running, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Scales, database: sqlite, timezone: Europe/Madrid}
users:
  groups: {bees: Bees, guests: Guests}
  rights: {bees: everything, guests: see}
entities:
  Apiary:
    plural: Apiaries
    title: "{name}"
    fields: {name: "text 2..60, required, unique", town: text}
    seed:
      fixed: [{name: North field, town: Alder}, {name: South field, town: Beech}]
  Keeper:
    title: "{name}"
    fields: {name: "text, required"}
    seed: {fixed: [{name: Ada}, {name: Bo}]}
  Hive:
    title: "{code}"
    archive: yes
    rights: {bees: everything, guests: [see, hide sealed]}
    fields:
      code: text 3..10, required, unique
      apiary: one Apiary, required
      keepers: many Keeper
      status: choice active | weak | retired, default active
      installed: date ..today
      checked: datetime
      opened: time
      frames: integer 0..30
      weight: decimal -10..200.5, places 2
      price: money 0..
      share: percent
      watch: duration
      calm: boolean, default yes
      roof: color
      mail: email
      site: url
      phone: phone
      spot: place
      traits: tags
      photo: image
      notes: long text
      sealed: text
      worth: "= weight * price"
      removed: {type: date, shown when: "= status = 'retired'"}
    rules:
      - A full hive is active: "= frames is empty or frames < 30 or status = 'active'"
  Inspection:
    fields: {hive: part of Hive, date: "date, required", remark: text}
`;

describe.each(kinds)("programs over $kind", (kind) => {
  const project = projectOn(kind, model);
  let server: Running;
  let bee: Visitor;
  let guest: Visitor;
  let ask: Ask;
  let count = 0;
  const hives = "/-/api/hives";

  beforeAll(async () => {
    server = await running(["rise"], project.folder, { API_ORIGINS: "https://maps.example" });
    bee = await Visitor.of(server.address, "bees");
    guest = await Visitor.of(server.address, "guests");
    ask = asking(server.address, bearer(await tokenOf(bee, "Scales")));
  }, 120_000);
  afterAll(async () => {
    await server.stop();
    await project.remove();
  });

  const code = () => `H-${++count}`;
  const add = async (values: object = {}) => {
    const made = await ask("POST", hives, { code: code(), apiary_id: 1, ...values });
    expect(made.status, JSON.stringify(made.body)).toBe(201);
    return made.body as { id: number; version: number; code: string };
  };
  const stored = async (id: number) =>
    (await project.rows(`select * from hive where id = ${id}`))[0] as Record<string, unknown>;

  it("read what they sent, of every type, as the database has it", async () => {
    const sent = {
      code: code(),
      apiary_id: 2,
      keepers: [2, 1],
      status: "weak",
      installed: "2024-02-29",
      checked: "2025-10-26T02:30:15+02:00",
      opened: "09:30",
      frames: 12,
      weight: 0.07,
      price: 12.5,
      share: 99.5,
      watch: 80.4,
      calm: false,
      roof: "#FFcc00",
      mail: "ada@bees.example",
      site: "https://bees.example/a",
      phone: "+34 600 000 000",
      spot: "41.8214,1.0127",
      traits: ["gentle", "by the road"],
      notes: "Two lines\nof <b>notes</b> 🐝",
      sealed: "only for bees",
    };
    const { status, body, headers } = await ask("POST", hives, sent);
    expect([status, headers.get("location")]).toEqual([201, `${hives}/${body.id}`]);
    const told = {
      ...sent,
      keepers: [
        { id: 1, displayTitle: "Ada" },
        { id: 2, displayTitle: "Bo" },
      ],
      apiary: { id: 2, displayTitle: "South field" },
      checked: "2025-10-26T00:30:15Z",
      roof: "#ffcc00",
      worth: 0.88,
      photo: [],
      removed: null,
    };
    expect({ ...body, worth: Math.round(body.worth * 100) / 100 }).toMatchObject(told);
    expect(await stored(body.id)).toMatchObject({ code: sent.code, frames: 12, price: 12.5 });
    const again = await ask("GET", `${hives}/${body.id}`);
    expect(again.body).toEqual(body);
    // What wasn't named in a change stays to the second, also in the hour that there is twice.
    const changed = await ask("PATCH", `${hives}/${body.id}`, { frames: 3 }, { "if-match": "*" });
    expect(changed.body).toMatchObject({ checked: told.checked, frames: 3, version: 2 });
    const later = { checked: "2025-10-26T01:30:15Z", price: null, keepers: [] };
    const { body: last } = await ask("PATCH", `${hives}/${body.id}`, later, { "if-match": "*" });
    expect(last).toMatchObject({ ...later, worth: null, calm: false });
  });

  it("may send all that the description allows, and nothing that it forbids", async () => {
    const { body: described } = await ask("GET", "/-/openapi.json");
    const { properties, required, additionalProperties } = described.components.schemas.HiveNew;
    expect([required, additionalProperties]).toEqual([["code", "apiary_id"], false]);
    const known: Record<string, string[]> = {
      opened: ["23:59"],
      roof: ["#00ff00"],
      mail: ["bo@bees.example"],
      site: ["http://bees.example"],
      phone: ["+34 (600) 000-000 ext 12"],
      spot: ["-41.5, 2"],
      traits: ["calm"],
    };
    let tried = 0;
    const send = async (name: string, value: unknown, status: number) => {
      tried += 1;
      const values = { code: code(), apiary_id: 1, [name]: value };
      const answer = await ask("POST", hives, values);
      const said = `${name} ${JSON.stringify(value)} ${JSON.stringify(answer.body)}`;
      expect(answer.status, said).toBe(status);
      if (status !== 201) {
        expect(answer.body.errors[0], said).toMatchObject({ pointer: `#/${name}` });
      }
    };
    for (const [name, shape] of Object.entries(properties as Record<string, Shape>)) {
      const { allowed, forbidden } = edgesOf(shape, known[name] ?? []);
      // A code is there once only, and a date of removal is asked for of retired hives.
      for (const value of allowed) {
        if (name === "code" || name === "frames") continue;
        if (name !== "removed") await send(name, value, 201);
      }
      for (const value of forbidden) await send(name, value, 422);
    }
    for (const name of ["id", "version", "worth", "apiary", "archived_at", "strange", "__proto__x"])
      await send(name, 1, 422);
    expect(tried).toBeGreaterThan(150);
    const wrong = await ask("POST", hives, { frames: 31, installed: "2999-01-01", weight: "1" });
    expect(wrong.body.errors).toEqual([
      { pointer: "#/code", detail: "Fill this in." },
      { pointer: "#/apiary_id", detail: "Choose one." },
      { pointer: "#/installed", detail: "Use today or earlier." },
      { pointer: "#/frames", detail: "Use 30 or less." },
      { pointer: "#/weight", detail: "Send a number." },
    ]);
    const full = await ask("POST", hives, {
      code: code(),
      apiary_id: 1,
      frames: 30,
      status: "weak",
    });
    expect(full.body.errors).toEqual([
      { pointer: expect.stringMatching(/^#/), detail: "A full hive is active" },
    ]);
    const twice = await ask("POST", hives, { code: "H-1", apiary_id: 1 });
    expect(twice.body.errors[0].pointer).toBe("#/code");
    for (const apiary_id of [99, 1e15]) {
      expect((await ask("POST", hives, { code: code(), apiary_id })).status).toBe(422);
    }
  });

  it("get answers that are what the description says", async () => {
    const { body: described } = await ask("GET", "/-/openapi.json");
    expect(described.openapi).toBe("3.1.0");
    const ajv = new Ajv2020({ strict: false, allErrors: true });
    formats.default(ajv);
    ajv.addSchema(described, "api");
    const operations = new Set<string>();
    const holds = async (method: string, address: string, path: string, body?: unknown) => {
      const answer = await ask(method, path, body, { "if-match": "*" });
      const at = address.replaceAll("~", "~0").replaceAll("/", "~1");
      const responses = described.paths[address][method.toLowerCase()].responses;
      const found = responses[answer.status];
      expect(found, `${method} ${address} ${answer.status}`).toBeDefined();
      const type = (answer.headers.get("content-type") ?? "").split(";")[0] ?? "";
      const named = found.$ref
        ? `api#${found.$ref.slice(1)}/content/${type.replace("/", "~1")}/schema`
        : `api#/paths/${at}/${method.toLowerCase()}/responses/${answer.status}/content/${type.replace("/", "~1")}/schema`;
      if (answer.status !== 204) {
        const isValid = ajv.validate({ $ref: named }, answer.body);
        expect(isValid ? [] : ajv.errors, `${method} ${path}`).toEqual([]);
      }
      operations.add(`${method} ${address}`);
      return answer;
    };
    const { id } = await add({ keepers: [1], traits: ["calm"], checked: "2026-05-03T07:30:00Z" });
    await holds("GET", hives, `${hives}?size=500&along=apiary,keepers&count=all`);
    await holds("GET", hives, `${hives}?fields=code,status`);
    await holds("GET", hives, `${hives}?colour=red`);
    await holds("POST", hives, hives, { code: code(), apiary_id: 1 });
    await holds("POST", hives, hives, { code: 1 });
    await holds("POST", hives, hives, "{");
    const one = `${hives}/{id}`;
    await holds("GET", one, `${hives}/${id}`);
    await holds("GET", one, `${hives}/99999`);
    await holds("PATCH", one, `${hives}/${id}`, { frames: 4 });
    await holds("PATCH", one, `${hives}/${id}`, { frames: "4" });
    await holds("GET", `${one}/history`, `${hives}/${id}/history`);
    await holds("GET", `${hives}/report`, `${hives}/report?by=status&across=apiary&show=count`);
    await holds("PUT", `${one}/archived`, `${hives}/${id}/archived`);
    await holds("DELETE", `${one}/archived`, `${hives}/${id}/archived`);
    await holds("DELETE", one, `${hives}/${id}`);
    const changes = [{ do: "add", in: "hives", values: { code: code(), apiary_id: 1 } }];
    await holds("POST", "/-/api-changes", "/-/api-changes", { together: true, changes });
    await holds("POST", "/-/api-changes", "/-/api-changes", { together: true, changes });
    await holds("POST", "/-/api-changes", "/-/api-changes", { together: true, changes: [{}] });
    expect(operations.size).toBe(10);
  });

  it("filter, sort, search and page, and are told of what makes no sense", async () => {
    for (const frames of [5, 5, 7, null, 9]) await add({ frames, status: "weak", apiary_id: 2 });
    const names: string[] = [];
    let next: string | null =
      `${hives}?status=weak&apiary_id=2&sort=-frames,code&size=2&fields=code`;
    while (next) {
      const { status, body, headers } = await ask("GET", next);
      expect([status, Object.keys(body.rows[0])]).toEqual([200, ["id", "version", "code"]]);
      expect(headers.get("link") ?? "").toBe(body.next ? `<${body.next}>; rel="next"` : "");
      names.push(...body.rows.map((row: { code: string }) => row.code));
      next = body.next;
    }
    const rows = await project.rows<{ code: string; frames: number | null }>(
      "select code, frames from hive where status = 'weak' and apiary_id = 2",
    );
    const byCode = (one: string, other: string) => (one < other ? -1 : 1);
    const order = rows
      .sort(
        (one, other) => (other.frames ?? -1) - (one.frames ?? -1) || byCode(one.code, other.code),
      )
      .map((row) => row.code);
    expect(names).toEqual(order);
    const whole = await ask(
      "GET",
      `${hives}?only=frames > 5 and status = 'weak'&apiary_id=2&count=all&along=apiary`,
    );
    expect(whole.body.total).toBe(rows.filter(({ frames }) => (frames ?? 0) > 5).length);
    expect(whole.body.rows[0].apiary).toMatchObject({ name: "South field", town: "Beech" });
    const found = await ask("GET", `/-/api/apiaries?search=beech&fields=town`);
    expect(found.body.rows).toEqual([{ id: 2, version: 1, town: "Beech" }]);
    const wrong: Record<string, string> = {
      status: "status=great",
      "frames.from": "frames.from=many",
      colour: "colour=red",
      sort: "sort=colour",
      fields: "fields=code,colour",
      along: "along=code",
      size: "size=501",
      after: "after=first",
      count: "count=some",
      archived: "archived=yes",
      only: "only=frames >",
      "where.apiary.nothing": "where.apiary.nothing=1",
      page: "page=2",
    };
    for (const [parameter, query] of Object.entries(wrong)) {
      const { status, body } = await ask("GET", `${hives}?${query}`);
      expect([status, body.errors?.map((each: object) => each)], query).toEqual([
        400,
        [{ parameter, detail: expect.stringMatching(/.{8}/) }],
      ]);
    }
    expect((await ask("GET", `${hives}?after=99999`)).body.errors[0].parameter).toBe("after");
    expect((await ask("GET", `${hives}?${"x=1&".repeat(500)}`)).status).toBe(400);
  });

  it("name the version that a change was made of", async () => {
    const { id } = await add();
    const at = `${hives}/${id}`;
    const first = await ask("GET", at);
    const tag = first.headers.get("etag") ?? "";
    expect(tag).toMatch(/^"1-[0-9a-f]{16}"$/);
    expect((await ask("GET", at, undefined, { "if-none-match": tag })).status).toBe(304);
    for (const [method, body] of [["PATCH", { frames: 1 }], ["DELETE"], ["PUT"]] as const) {
      const path = method === "PUT" ? `${at}/archived` : at;
      const none = await ask(method, path, body);
      expect([none.status, none.body.type]).toEqual([
        428,
        "/-/api-reference#problem-version-needed",
      ]);
      const other = await ask(method, path, body, { "if-match": '"7"' });
      expect([other.status, other.body.detail]).toEqual([
        412,
        "The record has version 1 by now. Read it again.",
      ]);
      expect((await ask(method, path, body, { "if-match": 'W/"1"' })).status).toBe(412);
    }
    const changed = await ask("PATCH", at, { frames: 1 }, { "if-match": tag });
    expect([changed.status, changed.body.version]).toEqual([200, 2]);
    const stale = await ask("PATCH", at, { frames: 2 }, { "if-match": tag });
    expect([stale.status, (await stored(id)).frames]).toEqual([412, 1]);
    const both = await Promise.all(
      [3, 4].map((frames) => ask("PATCH", at, { frames }, { "if-match": '"2"' })),
    );
    expect(both.map(({ status }) => status).sort()).toEqual([200, 412]);
    const any = await Promise.all(
      [5, 6, 7].map((frames) => ask("PATCH", at, { frames }, { "if-match": "*" })),
    );
    expect(any.map(({ status }) => status)).toEqual([200, 200, 200]);
    // Naming nothing changes nothing.
    expect((await ask("PATCH", at, {}, { "if-match": "*" })).body.version).toBe(6);
  });

  it("do something once, however often it is sent with a key", async () => {
    const key = (text: string) => ({ "idempotency-key": text });
    const values = { code: code(), apiary_id: 1 };
    const sent = await Promise.all(
      Array.from({ length: 5 }, () => ask("POST", hives, values, key("five-at-once"))),
    );
    expect(sent.map(({ status }) => status)).toEqual([201, 201, 201, 201, 201]);
    expect(new Set(sent.map(({ body }) => body.id)).size).toBe(1);
    const other = await ask("POST", hives, { ...values, frames: 1 }, key("five-at-once"));
    expect([other.status, other.body.type]).toEqual([422, "/-/api-reference#problem-key-reused"]);
    expect((await ask("POST", hives, values, key("a key\u00e9"))).status).toBe(400);
    const { id } = sent[0]?.body ?? {};
    const change = () =>
      ask("PATCH", `${hives}/${id}`, { frames: 2 }, { ...key("change"), "if-match": '"1"' });
    expect([(await change()).status, (await change()).body.version]).toEqual([200, 2]);
    const remove = () =>
      ask("DELETE", `${hives}/${id}`, undefined, { ...key("delete"), "if-match": '"2"' });
    expect([(await remove()).status, (await remove()).status]).toEqual([204, 204]);
    const foreign = asking(server.address, bearer(await tokenOf(guest, "Key")));
    expect((await foreign("POST", hives, values, key("five-at-once"))).status).toBe(403);
  });

  it("change many records in one transaction, or each on its own", async () => {
    const { id } = await add();
    const before = await project.rows("select count(*) as total from hive");
    const changes = [
      { do: "add", in: "apiaries", values: { name: `New field ${code()}` } },
      { do: "change", in: "hives", id, version: 1, values: { frames: 8 } },
      { do: "add", in: "hives", values: { code: "x", apiary_id: 1, frames: 99 } },
      { do: "delete", in: "hives", id, version: 9 },
      { do: "add", in: "nothing", values: {} },
    ];
    const none = await ask("POST", "/-/api-changes", { together: true, changes });
    expect([none.status, none.body.detail]).toEqual([
      422,
      "None of the changes was made: see the errors of each.",
    ]);
    expect(none.body.errors.map((each: { pointer: string }) => each.pointer)).toEqual([
      "#/changes/2/values/code",
      "#/changes/2/values/frames",
      "#/changes/3",
      "#/changes/4",
    ]);
    expect(await project.rows("select count(*) as total from hive")).toEqual(before);
    expect((await stored(id)).frames).toBeNull();
    const each = await ask("POST", "/-/api-changes", { together: false, changes });
    expect(each.body.results.map((result: { status: number }) => result.status)).toEqual([
      201, 200, 422, 412, 404,
    ]);
    const good = [
      { do: "change", in: "hives", id, version: 2, values: { frames: 9 } },
      { do: "delete", in: "hives", id, version: "any" },
    ];
    const key = { "idempotency-key": "together" };
    const done = await ask("POST", "/-/api-changes", { together: true, changes: good }, key);
    expect(done.body.results).toEqual([
      { status: 200, id, version: 3 },
      { status: 204, id },
    ]);
    const again = await ask("POST", "/-/api-changes", { together: true, changes: good }, key);
    expect([again.body, await stored(id)]).toEqual([done.body, undefined]);
    const single = {
      together: false,
      changes: [{ do: "add", in: "keepers", values: { name: "Cy" } }],
    };
    for (let time = 0; time < 2; time++) {
      await ask("POST", "/-/api-changes", single, { "idempotency-key": "alone" });
    }
    expect(await project.rows("select id from keeper where name = 'Cy'")).toHaveLength(1);
    const many = { together: true, changes: Array.from({ length: 1001 }, () => good[0]) };
    expect((await ask("POST", "/-/api-changes", many)).status).toBe(422);
  });

  it("get whole tables as lines", async () => {
    const lines = async (query: string, who = ask) => {
      const { status, body } = await who("GET", `${hives}.ndjson${query}`);
      const rows = status === 200 ? String(body).trim().split("\n") : [];
      return { status, rows: rows.map((line) => JSON.parse(line) as Record<string, unknown>) };
    };
    const { rows } = await lines("");
    const there = await project.rows<{ id: number; code: string }>(
      "select id, code from hive order by id",
    );
    expect(rows.map(({ id, code }) => ({ id, code }))).toEqual(there);
    expect(rows[0]).not.toHaveProperty("apiary");
    const weak = await lines("?status=weak&fields=code,apiary&along=apiary");
    expect(weak.rows[0]?.apiary).toMatchObject({ town: expect.stringMatching(/Alder|Beech/) });
    for (const query of ["?colour=red", "?sort=code", "?size=5"])
      expect((await lines(query)).status, query).toBe(400);
    const foreign = asking(server.address, bearer(await tokenOf(guest, "Lines")));
    expect((await lines("", foreign)).status).toBe(403);
  });

  it("delete a record with its parts when they say so, and archive others", async () => {
    const { id } = await add();
    const part = { hive_id: id, date: "2026-05-03", remark: "calm" };
    expect((await ask("POST", "/-/api/inspections", part)).status).toBe(201);
    const refused = await ask("DELETE", `${hives}/${id}`, undefined, { "if-match": "*" });
    expect([refused.status, refused.body.detail]).toEqual([
      409,
      "These would be deleted with it: 1 inspection. Ask for that with ?parts=delete.",
    ]);
    const odd = await ask("DELETE", `${hives}/${id}?parts=all`, undefined, { "if-match": "*" });
    expect(odd.status).toBe(400);
    const done = await ask("DELETE", `${hives}/${id}?parts=delete`, undefined, { "if-match": "*" });
    expect(done.status).toBe(204);
    const left = await project.rows(`select id from inspection where hive_id = ${id}`);
    expect([left, await stored(id)]).toEqual([[], undefined]);
    const used = await ask("DELETE", "/-/api/apiaries/1", undefined, { "if-match": "*" });
    expect([used.status, used.body.detail]).toEqual([
      409,
      expect.stringMatching(/in use: .* hives/),
    ]);
    const other = await add();
    const at = `${hives}/${other.id}`;
    const archived = await ask("PUT", `${at}/archived`, undefined, { "if-match": '"1"' });
    expect(archived.body.archived_at).toMatch(/^\d{4}-.*Z$/);
    const codes = async (query: string) =>
      (await ask("GET", `${hives}?size=500&fields=code${query}`)).body.rows.map(
        (row: { code: string }) => row.code,
      );
    expect(await codes("")).not.toContain(other.code);
    expect(await codes("&archived=only")).toEqual([other.code]);
    const back = await ask("DELETE", `${at}/archived`, undefined, { "if-match": '"2"' });
    expect(back.body.archived_at).toBeNull();
  });

  it("send and read files", async () => {
    const picture = await sharp({
      create: { width: 40, height: 30, channels: 3, background: "#fc0" },
    })
      .png()
      .toBuffer();
    const sent = await ask("POST", `${hives}/files/photo?name=roof.png`, picture, {
      "content-type": "image/png",
    });
    expect([sent.status, sent.body]).toMatchObject([201, { name: "roof.png", width: 40 }]);
    const { id } = await add({ photo: [sent.body.key] });
    const read = await fetch(`${server.address}${hives}/${id}/files/photo/${sent.body.key}`, {
      headers: { cookie: bee.cookie },
    });
    expect(Buffer.from(await read.arrayBuffer())).toEqual(picture);
    const text = await ask("POST", `${hives}/files/photo?name=roof.png`, "no picture", {
      "content-type": "text/plain",
    });
    expect(text.status).toBe(422);
    expect((await ask("POST", `${hives}/files/notes`, picture)).status).toBe(404);
    const foreign = asking(server.address, bearer(await tokenOf(guest, "Files")));
    expect((await foreign("POST", `${hives}/files/photo`, picture)).status).toBe(404);
    const again = await ask("POST", hives, { code: code(), apiary_id: 1, photo: [sent.body.key] });
    expect(again.status).toBe(422);
  });

  it("have the rights of the person whose token they have, and no more than it gives", async () => {
    const { id } = await add({ sealed: "only for bees" });
    const foreign = asking(server.address, bearer(await tokenOf(guest, "Guest")));
    const seen = await foreign("GET", `${hives}/${id}`);
    expect([seen.status, "sealed" in seen.body]).toEqual([200, false]);
    const description = JSON.stringify((await foreign("GET", "/-/openapi.json")).body);
    expect(/sealed|HiveNew|HiveChange/.exec(description)?.[0]).toBeUndefined();
    for (const query of ["fields=sealed", "sort=sealed", "only=sealed = 'only for bees'"])
      expect((await foreign("GET", `${hives}?${query}`)).status, query).toBe(400);
    expect((await foreign("PATCH", `${hives}/${id}`, {}, { "if-match": "*" })).status).toBe(403);
    const seeing = asking(
      server.address,
      bearer(await tokenOf(bee, "Narrow", { may: ["keeper see", "hive change", "hive history"] })),
    );
    const told = JSON.stringify((await seeing("GET", `${hives}/${id}/history`)).body);
    expect([told.includes("only for bees"), told.includes("apiary_id")]).toEqual([true, false]);
    const { body } = await seeing("GET", "/-/api");
    expect(body.lists.map(({ href }: { href: string }) => href)).toEqual(["/-/api/keepers", hives]);
    expect((await seeing("GET", "/-/api/apiaries")).status).toBe(404);
    const one = await seeing("GET", `${hives}/${id}`);
    expect([one.status, "apiary" in one.body, "apiary_id" in one.body]).toEqual([
      200,
      false,
      false,
    ]);
    const change = (values: object) =>
      seeing("PATCH", `${hives}/${id}`, values, { "if-match": "*" });
    expect((await change({ frames: 11 })).status).toBe(200);
    expect((await stored(id)).apiary_id).toBe(1);
    expect((await change({ apiary_id: 2 })).status).toBe(422);
    for (const method of ["POST", "DELETE"])
      expect((await seeing(method, method === "POST" ? hives : `${hives}/${id}`, {})).status).toBe(
        403,
      );
    // Nothing else of the application is open to a token.
    const home = await seeing("GET", "/-/account");
    expect([home.status, home.headers.get("location")]).toEqual([
      302,
      expect.stringMatching(/sign-in/),
    ]);
    const log = await bee.get(`/hives/${id}/history`);
    expect(textOf(log.html)).toContain("Bees (sample) · Narrow");
  });

  it("are let in by tokens that hold, and no others", async () => {
    const token = await tokenOf(bee, "Short");
    const own = asking(server.address, bearer(token));
    expect((await own("GET", hives)).status).toBe(200);
    const { html } = await bee.get("/-/account/tokens");
    expect([html.includes(token), textOf(html)]).toEqual([false, expect.stringContaining("Short")]);
    const held = JSON.stringify(await project.rows("select * from levadura_token"));
    expect([held.includes(token.slice(9)), held]).toEqual([
      false,
      expect.stringContaining("127.0.0.1"),
    ]);
    const same = await bee.post("/-/account/tokens", { name: "Short", scope: "whole", days: "" });
    expect([same.status, textOf(same.html)]).toEqual([
      422,
      expect.stringContaining("You have a token of this name."),
    ]);
    const [, id = ""] =
      /name="token" value="(\d+)"[^>]*>\s*<button[^>]*Revoke Short/.exec(html) ?? [];
    expect((await guest.post("/-/account/tokens/revoke", { token: id })).status).toBe(200);
    expect((await own("GET", hives)).status).toBe(200);
    await bee.post("/-/account/tokens/revoke", { token: id });
    const refused = await own("GET", hives);
    expect([refused.status, refused.headers.get("www-authenticate")]).toEqual([
      401,
      'Bearer realm="api", error="invalid_token"',
    ]);
    for (const strange of ["", "levadura_x", token.slice(9), "a.b.c", `${token}x`])
      expect((await asking(server.address, bearer(strange || "x"))("GET", hives)).status).toBe(401);
    expect((await asking(server.address)("GET", hives)).status).toBe(401);
    for (const path of ["/-/api", "/-/openapi.json", "/-/api/nothing"])
      expect((await asking(server.address)("GET", path)).status, path).toBe(401);
    expect((await asking(server.address)("POST", "/-/api-changes", {})).status).toBe(401);
    expect((await ask("GET", "/-/api/nothing")).status).toBe(404);
  });

  it("may be scripts of origins that are named, without anybody's session", async () => {
    const from = (origin: string, more = {}) => ({ origin, ...more });
    const named = "https://maps.example";
    const asked = await ask("OPTIONS", hives, undefined, {
      ...from(named),
      "access-control-request-method": "PATCH",
    });
    expect([asked.status, asked.headers.get("access-control-allow-origin")]).toEqual([204, named]);
    expect(asked.headers.get("access-control-allow-credentials")).toBeNull();
    const open = await ask("GET", hives, undefined, from(named));
    expect(open.headers.get("access-control-allow-origin")).toBe(named);
    const other = await ask("GET", hives, undefined, from("https://other.example"));
    expect(other.headers.get("access-control-allow-origin")).toBeNull();
    const session = asking(server.address, { cookie: bee.cookie });
    expect((await session("GET", hives)).status).toBe(200);
    expect((await session("GET", hives, undefined, from(named))).status).toBe(401);
    const values = () => ({ code: code(), apiary_id: 1 });
    const strange = await session("POST", hives, values(), from("https://other.example"));
    expect(strange.status).toBe(403);
    expect((await session("POST", hives, values(), from(server.address))).status).toBe(201);
    const page = await ask("GET", "/hives", undefined, from(named));
    expect(page.headers.get("access-control-allow-origin")).toBeNull();
  });

  it("are told what is wrong with a request", async () => {
    const jsonType = { "content-type": "application/json" };
    const problems: [number, string, Promise<{ status: number; body: { type: string } }>][] = [
      [400, "unreadable", ask("POST", hives, "{", jsonType)],
      [415, "media-type", ask("POST", hives, "code=1", { "content-type": "text/plain" })],
      [422, "invalid", ask("POST", hives, [])],
      [422, "invalid", ask("POST", hives, "null", jsonType)],
      [413, "too-large", ask("POST", hives, { notes: "x".repeat(3_000_000) })],
      [422, "invalid", ask("POST", hives, { traits: [`${"a".repeat(1_000_000)},`] })],
      [400, "unreadable", ask("POST", hives, "[".repeat(1_000_000), jsonType)],
      [422, "invalid", ask("POST", hives, `${"[".repeat(9e5)}${"]".repeat(9e5)}`, jsonType)],
      [404, "not-found", ask("GET", `${hives}/123456789012345`)],
      [404, "not-found", ask("GET", `${hives}/1/nothing`)],
    ];
    for (const [status, kind, asked] of problems) {
      const answer = await asked;
      expect([answer.status, answer.body.type]).toEqual([
        status,
        `/-/api-reference#problem-${kind}`,
      ]);
    }
    const { html } = await bee.get("/-/api-reference");
    for (const [, kind] of problems) expect(html).toContain(`id="problem-${kind}"`);
    expect(textOf(html)).toContain("Adds one");
  });
});

it("programs of an application without sign-in, and with a limit for each token", async () => {
  const [kind] = kinds;
  if (!kind) return;
  const open = projectOn(
    kind,
    model.replace(/^users:\n(?: .*\n)+/m, "").replace(/ {4}rights:.*\n/, ""),
  );
  const server = await running(["rise"], open.folder);
  const limited = projectOn(kind, model);
  const other = await running(["rise"], limited.folder, { API_REQUESTS_PER_MINUTE: "40" });
  try {
    const ask = asking(server.address);
    const made = await ask("POST", "/-/api/keepers", { name: "Dee" });
    expect(made.status).toBe(201);
    const at = `/-/api/keepers/${made.body.id}`;
    expect((await ask("DELETE", at, undefined, { "if-match": "*" })).status).toBe(204);
    const strange = { origin: "https://other.example" };
    expect((await ask("POST", "/-/api/keepers", { name: "Eve" }, strange)).status).toBe(403);
    expect((await ask("GET", "/-/api-reference")).body).toContain("API reference");
    const bee = await Visitor.of(other.address, "bees");
    const tried = asking(other.address, bearer(await tokenOf(bee, "Busy")));
    // A minute may end meanwhile: of a hundred requests, forty fit into each of two at most.
    const answers = await Promise.all(Array.from({ length: 100 }, () => tried("GET", "/-/api")));
    const refused = answers.filter(({ status }) => status === 429);
    expect(refused.length).toBeGreaterThanOrEqual(20);
    expect(Number(refused[0]?.headers.get("retry-after"))).toBeGreaterThan(0);
    const second = asking(other.address, bearer(await tokenOf(bee, "Calm")));
    expect((await second("GET", "/-/api")).status).toBe(200);
  } finally {
    await server.stop();
    await other.stop();
    await open.remove();
    await limited.remove();
  }
});
