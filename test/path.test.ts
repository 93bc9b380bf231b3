import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { rowsOf } from "./support/database.ts";
import { demoModel } from "./support/demo.ts";
import { kinds, projectOn } from "./support/kinds.ts";
import {
  levadura,
  projectWith,
  type Running,
  running,
  temporaryFolder,
} from "./support/program.ts";
import { inputValue, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, timezone: Europe/Madrid, database: sqlite}
entities:
  Apiary:
    fields:
      name: text 2..60, required, unique
      notes: long text
  Hive:
    title: "{code}"
    fields:
      code: text 3..10, required, unique, hint Painted on the front
      apiary: one Apiary, required
      status: choice active | weak, required, default active
      keepers: many Keeper
      installed: date ..today, default today
      weight: decimal 0..99, unit kg
      sunny: boolean
    sections:
      - Identity: [code, apiary, status]
      - Details: [keepers, installed, weight, sunny]
  Keeper:
    fields:
      name: text, required, label 'Name "or" <b>nickname</b>'
      email: email
  Inspection:
    title: "{hive} on {date}"
    fields:
      hive: part of Hive
      date: date ..today, required, default today
      constructor: text
      group: integer
      señal: text
    unique: [hive, date]
  Order:
    fields: {select: "text, required", from: one Apiary, about: one Inspection}
`;

describe.each(kinds)("from a model to its application over $kind, command by command", (kind) => {
  const { folder, rows, remove } = projectOn(kind, model);
  /** The number of the hive that stays. */
  let stays = 0;
  let server: Running;
  let visitor: Visitor;

  beforeAll(async () => {
    for (const command of ["check", "prepare", "migrate", "build"]) {
      const { status, err } = await levadura([command], folder);
      expect([command, status, err]).toEqual([command, 0, ""]);
    }
    server = await running(["serve"], folder);
    visitor = new Visitor(server.address);
  });
  afterAll(async () => {
    expect(await server.stop()).toBe(0);
    await remove();
  });

  it.runIf(kind.kind === "sqlite")("makes the tables that the model asks for", () => {
    const file = join(folder, "records.db");
    const tables = rowsOf<{ name: string }>(
      file,
      "select name from sqlite_schema where type = 'table' and name not like 'sqlite%' order by 1",
    );
    expect(tables.map(({ name }) => name)).toEqual([
      "apiary",
      "hive",
      "hive_keepers",
      "inspection",
      "keeper",
      "levadura_ledger",
      "levadura_letters",
      "levadura_loads",
      "levadura_presence",
      "levadura_seeded",
      "levadura_submission",
      "levadura_taken_back",
      "levadura_texts",
      "levadura_tile",
      "levadura_upload",
      "levadura_work",
      "levadura_written",
      "order",
    ]);
    const keys = rowsOf(
      file,
      'select "table", "from", on_delete from pragma_foreign_key_list(\'inspection\')',
    );
    expect(keys).toEqual([{ table: "hive", from: "hive_id", on_delete: "CASCADE" }]);
    const indexes = rowsOf<{ name: string }>(
      file,
      "select name from pragma_index_list('inspection')",
    ).map(({ name }) => name);
    expect(indexes).toEqual(
      expect.arrayContaining(["inspection_hive_id_date_key", "inspection_date_index"]),
    );
    expect(rowsOf(file, "pragma journal_mode")).toEqual([{ journal_mode: "wal" }]);
  });

  it("shows an empty list, and the form behind it", async () => {
    const { html } = await visitor.get("/hives");
    expect(textOf(html)).toContain("There are no hives yet. Make the first one");
    const form = await visitor.get("/hives/new");
    expect(inputValue(form.html, "installed")).toMatch(/^\d{2}\/\d{2}\/\d{4}$/);
    expect(form.html).toMatch(/<input[^>]*name="code"[^>]*>/);
    expect(form.html).toMatch(
      /<input[^>]*minlength="3"[^>]*maxlength="10"[^>]*id="field-code"[^>]*>/,
    );
    expect(form.html).toContain('name="status" value="active" checked=""');
    expect(textOf(form.html)).toContain("Painted on the front");
  });

  it("saves what is right, says so, and goes to the record", async () => {
    await visitor.post("/apiaries/new", { name: "Linden Hollow", notes: "a\r\nb" });
    await visitor.post("/keepers/new", { name: "Ada <i>Moss</i>" });
    const saved = await visitor.post("/hives/new", {
      code: " B-07 ",
      apiary_id: "1",
      status: "weak",
      keepers: ["1"],
      installed: "2026-05-03",
      weight: "12.50",
      sunny: "yes",
    });
    expect([saved.status, saved.path]).toEqual([200, "/hives/1-b-07"]);
    expect(textOf(saved.html)).toContain("Hive saved: B-07");
    expect(textOf(saved.html)).toContain("12.5 kg");
    expect(saved.html).toContain("Ada &lt;i&gt;Moss&lt;/i&gt;");
    expect(
      await rows("select code, apiary_id, status, installed, weight, sunny, version from hive"),
    ).toEqual([
      {
        code: "B-07",
        apiary_id: 1,
        status: "weak",
        installed: "2026-05-03",
        weight: 12.5,
        sunny: 1,
        version: 1,
      },
    ]);
    expect(await rows("select * from hive_keepers")).toEqual([{ hive_id: 1, keeper_id: 1 }]);
    expect(await rows("select notes from apiary")).toEqual([{ notes: "a\nb" }]);
    expect(textOf((await visitor.get("/hives")).html)).not.toContain("saved");
  });

  it("refuses what is wrong, field by field, and keeps what was typed", async () => {
    const answer = await visitor.post("/hives/new", {
      code: "x<",
      apiary_id: "99",
      status: "gone",
      weight: "1.234",
      installed: "2999-01-01",
    });
    expect(answer.status).toBe(422);
    const text = textOf(answer.html);
    expect(text).toContain("4 fields need another look");
    expect(text).toContain("Code: Use at least 3 characters.");
    expect(text).toContain("Status: Choose one of those offered.");
    expect(text).toContain("Weight: Use at most 2 digits after the point.");
    expect(text).toContain("Installed: Use today or earlier.");
    expect(inputValue(answer.html, "code")).toBe("x&lt;");
    expect(answer.html).toContain('aria-describedby="error-code hint-code"');
    const gone = await visitor.post("/hives/new", {
      code: "B-99",
      apiary_id: "99",
      status: "weak",
    });
    expect([gone.status, textOf(gone.html)]).toEqual([
      422,
      expect.stringContaining("A record that was chosen here no longer exists."),
    ]);
    const twice = await visitor.post("/hives/new", {
      code: "b-07",
      apiary_id: "1",
      status: "weak",
    });
    expect(textOf(twice.html)).toContain("Code: Another hive has this already.");
    expect(await rows("select count(*) as n from hive")).toEqual([{ n: 1 }]);
  });

  it("adds from a record's page with the parent filled in, and comes back", async () => {
    const page = await visitor.get("/hives/1-b-07");
    const add =
      /href="(\/inspections\/new\?[^"]+)"/.exec(page.html)?.[1]?.replaceAll("&amp;", "&") ?? "";
    const form = await visitor.get(add);
    expect(form.html).toContain('<option value="1" selected="">B-07</option>');
    const saved = await visitor.post(add, {
      hive_id: "1",
      date: "2026-05-04",
      constructor: "c",
      group: "3",
      señal: "ñ",
      _back: inputValue(form.html, "_back") ?? "",
    });
    expect(saved.path).toBe("/hives/1-b-07");
    expect(textOf(saved.html)).toContain("Inspection saved: B-07 on 2026-05-04");
    expect(await rows('select "constructor", "group", "señal" from inspection')).toEqual([
      { constructor: "c", group: 3, señal: "ñ" },
    ]);
    const again = await visitor.post(add, { hive_id: "1", date: "2026-05-04" });
    expect(textOf(again.html)).toContain("Another inspection has the same Hive and Date.");
  });

  it("keeps the place in a series when one more is added", async () => {
    const next = await visitor.post("/inspections/new?hive_id=1", {
      hive_id: "1",
      date: "2026-05-05",
      _then: "another",
    });
    expect(next.path).toBe("/inspections/new?hive_id=1");
    expect(textOf(next.html)).toContain("Inspection saved");
  });

  it("refuses the second of two saves of one version, with both values", async () => {
    const first = await visitor.get("/hives/1-b-07/edit");
    const fields = {
      code: "B-07",
      apiary_id: "1",
      keepers: ["1"],
      installed: "2026-05-03",
      sunny: "yes",
      _version: inputValue(first.html, "_version") ?? "",
    };
    expect(
      (await visitor.post("/hives/1-b-07/edit", { ...fields, status: "active", weight: "13" }))
        .status,
    ).toBe(200);
    const second = await visitor.post("/hives/1-b-07/edit", {
      ...fields,
      status: "weak",
      weight: "14",
    });
    expect(second.status).toBe(409);
    expect(textOf(second.html)).toMatch(/Status Yours: Weak Saved now: Active/);
    expect(textOf(second.html)).toMatch(/Weight Yours: 14 Saved now: 13/);
    expect(await rows("select status, weight, version from hive")).toEqual([
      { status: "active", weight: 13, version: 2 },
    ]);
    const third = await visitor.post("/hives/1-b-07/edit", {
      ...fields,
      status: "weak",
      weight: "14",
      _version: inputValue(second.html, "_version") ?? "",
    });
    expect([third.status, third.path]).toEqual([200, "/hives/1-b-07"]);
  });

  it("refuses to delete what is in use, and names and links what uses it", async () => {
    const refused = await visitor.post("/apiaries/1/delete", {});
    expect(refused.status).toBe(409);
    expect(textOf(refused.html)).toContain(
      "Linden Hollow can’t be deleted while it is in use. Change or delete these first: 1 hive: B-07",
    );
    expect(refused.html).toContain('href="/hives/1-b-07"');
    expect((await visitor.submit("/keepers/1/delete")).status).toBe(409);
    expect(
      await rows("select (select count(*) from apiary) as a, (select count(*) from keeper) as k"),
    ).toEqual([{ a: 1, k: 1 }]);
  });

  it("asks before it deletes, and takes the parts along", async () => {
    const asked = await visitor.get("/hives/1-b-07/delete");
    expect(textOf(asked.html)).toContain(
      "will be deleted with it: 2 inspections: B-07 on 2026-05-04, B-07 on 2026-05-05",
    );
    const deleted = await visitor.submit("/hives/1-b-07/delete");
    expect([deleted.path, textOf(deleted.html)]).toEqual([
      "/hives",
      expect.stringContaining("Hive B-07 deleted."),
    ]);
    expect(
      await rows(
        "select (select count(*) from hive) as h, (select count(*) from inspection) as i, (select count(*) from hive_keepers) as k",
      ),
    ).toEqual([{ h: 0, i: 0, k: 0 }]);
    expect((await visitor.get("/hives/1-b-07")).status).toBe(404);
    await visitor.post("/hives/new", { code: "C-01", apiary_id: "1", status: "active" });
    const [hive] = await rows<{ id: number }>("select id from hive");
    stays = hive?.id ?? 0;
    // The number of one that is gone is never given again.
    expect(stays).toBeGreaterThan(1);
  });

  it("refuses to delete what has parts that are in use", async () => {
    await visitor.post("/hives/new", { code: "D-01", apiary_id: "1", status: "active" });
    const [hive] = await rows<{ id: number }>("select max(id) as id from hive");
    const path = `/hives/${hive?.id}`;
    await visitor.post("/inspections/new", { hive_id: String(hive?.id), date: "2026-05-06" });
    const [inspection] = await rows<{ id: number }>("select id from inspection");
    await visitor.post("/orders/new", { select: "x", about_id: String(inspection?.id) });
    const refused = await visitor.submit(`${path}/delete`);
    expect([refused.status, textOf(refused.html)]).toEqual([
      409,
      expect.stringContaining("Something that would be deleted with it is in use elsewhere."),
    ]);
    expect(await rows(`select count(*) as n from hive where id = ${hive?.id}`)).toEqual([{ n: 1 }]);
    await visitor.submit("/orders/1/delete");
    expect((await visitor.submit(`${path}/delete`)).path).toBe("/hives");
  });

  it("finds its way to the right address of a record", async () => {
    await visitor.get(`/hives/${stays}`);
    expect(visitor.trail).toEqual([`/hives/${stays}`, `/hives/${stays}-c-01`]);
    await visitor.get("/hives/");
    expect(visitor.trail).toEqual(["/hives/", "/hives"]);
    const missing = await visitor.get("/hives/none");
    expect([missing.status, textOf(missing.html)]).toEqual([
      404,
      expect.stringContaining("Page not found"),
    ]);
  });

  it("protects what it does", async () => {
    const { headers } = await visitor.get("/");
    expect(headers.get("content-security-policy")).toContain("default-src 'none'");
    expect(headers.get("x-frame-options")).toBe("DENY");
    const post = (init: Record<string, string>) =>
      fetch(`${server.address}/hives/${stays}/delete`, {
        method: "POST",
        headers: { "content-type": "application/x-www-form-urlencoded", ...init },
        body: "",
        redirect: "manual",
      });
    expect((await post({ origin: "http://evil.example" })).status).toBe(403);
    expect((await post({})).status).toBe(403);
    expect(await rows("select count(*) as n from hive")).toEqual([{ n: 1 }]);
    const { execFileSync } = await import("node:child_process");
    const code = execFileSync("curl", [
      "-s",
      "-o",
      "/dev/null",
      "-w",
      "%{http_code}",
      "-H",
      "Host: evil.example",
      server.address,
    ]).toString();
    expect(code).toBe("421");
    const stolen = await visitor.get("/inspections/new?_back=//evil.example");
    expect(stolen.html).not.toContain("evil.example");
  });

  it("brings a 500 page that looks like the application, and says nothing of its inside", async () => {
    const broken = await visitor.post("/orders/new", { select: "x".repeat(3_000_000) });
    expect([broken.status, textOf(broken.html)]).toEqual([
      413,
      expect.stringContaining("too much"),
    ]);
    const odd = await fetch(`${server.address}/orders/new`, {
      method: "POST",
      headers: { origin: server.address, "content-type": "multipart/form-data" },
      body: "x",
    });
    expect(odd.status).toBe(400);
    expect(await odd.text()).not.toMatch(/at .*\.m?js/);
  });

  it("tells the standing of its migrations", async () => {
    const { out } = await levadura(["history", "--json"], folder);
    expect(JSON.parse(out).migrations).toMatchObject([{ name: "0001-begin", state: "applied" }]);
    expect(
      readFileSync(join(folder, `app/migrations/0001-begin/forward.${kind.kind}.sql`), "utf8"),
    ).toBe(readFileSync(join(folder, `migrations/0001-begin/forward.${kind.kind}.sql`), "utf8"));
  });
});

describe("beginning and seeding", () => {
  it("starts a project that rises at once", async () => {
    const folder = temporaryFolder();
    const begun = await levadura(["begin", "bees", "--name", "My Bees"], folder);
    expect([begun.status, begun.err]).toEqual([0, ""]);
    expect(begun.next).toContain("cd bees && levadura rise");
    const project = join(folder, "bees");
    const rise = await running(["rise"], project);
    const home = await new Visitor(rise.address).get("/");
    expect(textOf(home.html)).toMatch(/My Bees .*Places 12 New Visits 36 New/);
    expect(await rise.stop()).toBe(0);
    expect(rise.said()).toContain("Stopped.");
    expect(readFileSync(join(project, "model.yaml"), "utf8")).toContain(
      "$schema=.levadura/model.schema.json",
    );
    expect(existsSync(join(project, ".levadura/model.schema.json"))).toBe(true);
  });

  it("fills every entity with rows that hold to everything, the same every time", async () => {
    const rows = async () => {
      const folder = projectWith(demoModel({ open: true }));
      for (const command of ["prepare", "migrate", "seed"])
        expect((await levadura([command], folder)).status).toBe(0);
      const file = join(folder, "records.db");
      expect(rowsOf(file, "pragma foreign_key_check")).toEqual([]);
      expect((await levadura(["seed"], folder)).out).toContain("Left alone");
      const tables = rowsOf<{ name: string }>(
        file,
        "select name from sqlite_schema where type = 'table' and name not in ('levadura_ledger', 'levadura_loads', 'levadura_presence', 'levadura_submission', 'levadura_taken_back', 'levadura_texts', 'levadura_tile', 'levadura_upload', 'levadura_work', 'levadura_written') and name not like 'sqlite%' order by 1",
      );
      return tables.map(
        ({ name }) =>
          [
            name,
            rowsOf(file, `select * from "${name}"`).map(
              ({ created_at, updated_at, ...row }) => row,
            ),
          ] as const,
      );
    };
    const first = await rows();
    for (const [name, made] of first) expect(made.length, name).toBeGreaterThan(0);
    expect(await rows()).toEqual(first);
  });
});
