import { rmSync } from "node:fs";
import { join } from "node:path";
import { type SqlBool, sql } from "kysely";
import Driver from "libsql";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Policy } from "../kit/access/scope.ts";
import type { Route } from "../kit/features/feature.ts";
import { rowsOf } from "./support/database.ts";
import { demoModel } from "./support/demo.ts";
import { built } from "./support/generated.ts";
import { levadura } from "./support/program.ts";
import { hiddenInputs, textOf } from "./support/visitor.ts";

/** The generated application of the demo, in this process, so that each test chooses who may do what. */
interface Generated {
  createApp(db: unknown, more?: object): App;
  openDatabase(address: string): { destroy(): Promise<void> };
  routesOf(app: object): readonly Route[];
}

interface App {
  routes: { method: string; path: string }[];
  request(path: string, init?: RequestInit): Promise<Response>;
}

let generated: Generated;
let file = "";
let folder = "";

afterAll(() => rmSync(folder, { recursive: true, force: true }));

beforeAll(async () => {
  folder = await built(demoModel({ open: true }), true);
  for (const command of [["migrate"], ["seed", "--seed", "7"]])
    expect((await levadura(command, folder)).status, command.join(" ")).toBe(0);
  file = join(folder, "records.db");
  const driver = new Driver(file);
  driver.exec(`update hive set code = 'ZZ' || id, notes = 'ZZ-notes'`);
  driver.close();
  const source = (path: string) => import(join(folder, "app/src", path));
  generated = {
    ...(await source("app.ts")),
    ...(await source("database.ts")),
    ...(await source("kit/app/mount.ts")),
  };
});

const headers = { host: "localhost", origin: "http://localhost" };

/** Does some work with the application under a policy. */
async function under<Result>(
  policy: Partial<Policy>,
  work: (app: App) => Promise<Result>,
): Promise<Result> {
  const db = generated.openDatabase(`sqlite:${file}`);
  const whole = { may: () => true, visible: () => undefined, ...policy };
  try {
    return await work(generated.createApp(db, { policy: whole }));
  } finally {
    await db.destroy();
  }
}

const noHives: Partial<Policy> = {
  visible: (_scope, { table }) => (table === "hive" ? sql<SqlBool>`1 = 0` : undefined),
};

const lists = {
  apiary: "/apiaries",
  keeper: "/keepers",
  hive: "/hives",
  queen: "/queens",
  inspection: "/inspections",
  treatment: "/treatments",
  harvest: "/harvests",
  equipment: "/equipment",
};

/** Pages of every kind, by their addresses: with what the database has, whoever may see it. */
async function pages(app: App): Promise<Map<string, string>> {
  const found = new Map<string, string>();
  const read = async (path: string): Promise<string> => {
    const answer = await app.request(path, { headers });
    const next = answer.headers.get("location");
    const text = next ? await read(next) : await answer.text();
    found.set(path, text);
    return text;
  };
  for (const path of ["/", "/-/api", "/-/openapi.json"]) await read(path);
  for (const [table, path] of Object.entries(lists)) {
    const html = await read(path);
    const asked = `/-/api${path}`;
    for (const end of ["?size=500", "?search=ZZ", "/report?by=id"]) await read(asked + end);
    await read(`${asked}.ndjson`);
    await read(`${path}?search=ZZ`);
    await read(`${path}/new`);
    for (const [, sorted = ""] of html.matchAll(/href="([^"]*sort=[^"]*)"/g)) {
      await read(sorted.replaceAll("&amp;", "&"));
      await read(sorted.replaceAll("&amp;", "&").replace("sort=", "sort=-"));
    }
    for (const { id } of rowsOf<{ id: number }>(file, `select id from "${table}" limit 8`)) {
      for (const end of ["", "/edit", "/delete"]) await read(`${path}/${id}${end}`);
      await read(`${asked}/${id}`);
    }
  }
  return found;
}

describe("rows that a person may not see", () => {
  const traces = (found: Map<string, string>) =>
    [...found].filter(([, html]) => /ZZ\d|ZZ-notes/.test(html)).map(([path]) => path);

  it("leave no trace on any page, title, lookup, count, sum, search or sort", async () => {
    const all = await under({}, pages);
    const shown = traces(all);
    for (const path of ["/hives", "/inspections", "/queens/new", "/hives?search=ZZ"])
      expect(shown).toContain(path);
    const asked = ["/-/api/hives?size=500", "/-/api/hives.ndjson"];
    for (const path of asked) expect(shown).toContain(path);
    expect(shown.some((path) => /^\/-\/api\/inspections\/\d/.test(path))).toBe(true);
    const found = await under(noHives, pages);
    expect(traces(found)).toEqual([]);
    expect(found.size).toBeGreaterThan(150);
    const count = (html = "") =>
      /href="\/hives">\s*Hives<\/a><span class="count">(\d+)/.exec(html)?.[1];
    expect([count(all.get("/")) !== "0", count(found.get("/"))]).toEqual([true, "0"]);
    expect(found.get("/hives")).toContain("There are no hives yet.");
    const [{ id = 0 } = {}] = rowsOf<{ id: number }>(file, "select id from hive");
    expect(found.get(`/hives/${id}`)).toContain("Page not found");
  });

  it("leave none in errors", async () => {
    await under(noHives, async (app) => {
      const send = async (path: string, fields: Record<string, string>) => {
        const form = hiddenInputs(await (await app.request(path, { headers })).text());
        const body = new URLSearchParams({ ...form, ...fields });
        return app.request(path, { method: "POST", headers, body });
      };
      const taken = await send("/hives/new", { code: "ZZ1", apiary_id: "1", status: "active" });
      const html = await taken.text();
      expect([
        taken.status,
        html.includes("Another hive"),
        html.includes("refused these values"),
      ]).toEqual([422, false, true]);
      const [{ apiary = 0 } = {}] = rowsOf<{ apiary: number }>(
        file,
        "select apiary_id as apiary from hive limit 1",
      );
      const inUse = await send(`/apiaries/${apiary}/delete`, {});
      const refused = await inUse.text();
      expect([inUse.status, /ZZ|\d+ hives?/.test(refused)]).toEqual([409, false]);
      expect(rowsOf(file, "select id from apiary where id = ?", apiary)).toHaveLength(1);
    });
  });

  it("are neither changed nor deleted", async () => {
    const before = rowsOf(file, "select * from hive order by id");
    await under(noHives, async (app) => {
      for (const end of ["edit", "delete"]) {
        const body = new URLSearchParams({ _version: "1", _parts: "0", code: "changed" });
        const answer = await app.request(`/hives/1/${end}`, { method: "POST", headers, body });
        expect([404, 409]).toContain(answer.status);
      }
    });
    expect(rowsOf(file, "select * from hive order by id")).toEqual(before);
  });

  it("stay in the fields of records that are edited", async () => {
    const read = () => [
      rowsOf(file, "select id, hive_id from queen order by id"),
      rowsOf(file, "select * from hive_keepers order by hive_id, keeper_id"),
    ];
    const before = read();
    const hidden: Partial<Policy> = {
      visible: (_scope, { table }) =>
        table === "keeper" || table === "hive" ? sql<SqlBool>`1 = 0` : undefined,
    };
    const noKeepers: Partial<Policy> = {
      visible: (_scope, { table }) => (table === "keeper" ? sql<SqlBool>`1 = 0` : undefined),
    };
    const [queen] = rowsOf<{ id: number; mark: string; born: string; line: string }>(
      file,
      "select * from queen where hive_id is not null",
    );
    const [hive] = rowsOf<{ id: number; code: string; apiary_id: number }>(
      file,
      "select * from hive where removed is null and id in (select hive_id from hive_keepers)",
    );
    for (const [policy, path, fields] of [
      [
        hidden,
        `/queens/${queen?.id}/edit`,
        { mark: queen?.mark, born: queen?.born, line: queen?.line },
      ],
      [
        noKeepers,
        `/hives/${hive?.id}/edit`,
        { code: hive?.code, apiary_id: hive?.apiary_id, status: "weak" },
      ],
    ] as const) {
      await under(policy, async (app) => {
        const form = hiddenInputs(await (await app.request(path, { headers })).text());
        const typed = Object.entries(fields).map(([name, value]) => [name, String(value)]);
        const body = new URLSearchParams({ ...form, ...Object.fromEntries(typed) });
        expect((await app.request(path, { method: "POST", headers, body })).status, path).toBe(303);
      });
    }
    expect(read()).toEqual(before);
  });

  it("can't be chosen by their numbers, nor found by filtering; a record that has one can be saved", async () => {
    const [hidden, other] = rowsOf<{ id: number; hive_id: number; date: string }>(
      file,
      "select * from inspection group by hive_id order by id",
    );
    if (!hidden || !other) return expect.fail("too few inspections");
    const one: Partial<Policy> = {
      visible: (_scope, { table }) =>
        table === "hive" ? sql<SqlBool>`${sql.ref("hive.id")} <> ${hidden.hive_id}` : undefined,
    };
    const saved = (id: number) =>
      rowsOf<{ hive_id: number; keeper_id: number; version: number }>(
        file,
        "select * from inspection where id = ?",
        id,
      )[0];
    await under(one, async (app) => {
      const send = async (id: number, hive: string) => {
        const path = `/inspections/${id}/edit`;
        const page = await (await app.request(path, { headers })).text();
        const typed = (page.match(/<input[^>]*>/g) ?? []).map((tag) => {
          const [name, value] = ["name", "value"].map(
            (part) => new RegExp(`\\b${part}="([^"]*)"`).exec(tag)?.[1],
          );
          return [name ?? "", value ?? ""] as const;
        });
        const body = new URLSearchParams({
          ...hiddenInputs(page),
          ...Object.fromEntries(typed),
          hive_id: hive,
          keeper_id: String(saved(id)?.keeper_id),
        });
        const answer = await app.request(path, { method: "POST", headers, body });
        return [answer.status, await answer.text()] as const;
      };
      const form = await (await app.request(`/inspections/${hidden.id}/edit`, { headers })).text();
      expect(form).toContain("What is saved here isn’t shown to you. Left blank, it stays.");
      expect(/<select[^>]*name="hive_id"/.exec(form)?.[0]).not.toContain("required");
      expect((await send(hidden.id, ""))[0]).toBe(303);
      expect(saved(hidden.id)).toMatchObject({ hive_id: hidden.hive_id, version: 2 });
      const [refused, why] = await send(other.id, String(hidden.hive_id));
      const [missing, said] = await send(other.id, "999999");
      expect([refused, missing]).toEqual([422, 422]);
      for (const html of [why, said])
        expect(html).toContain("A record that was chosen here no longer exists.");
      expect(saved(other.id)).toMatchObject({ hive_id: other.hive_id, version: 1 });
      const filtered = await (
        await app.request(`/inspections?hive_id=${hidden.hive_id}`, { headers })
      ).text();
      expect(filtered).toContain("No inspections match.");
    });
  });

  it("can be some of an entity", async () => {
    const [{ apiary = 0 } = {}] = rowsOf<{ apiary: number }>(
      file,
      "select apiary_id as apiary from hive",
    );
    const one: Partial<Policy> = {
      visible: (_scope, { table }) =>
        table === "hive" ? sql<SqlBool>`${sql.ref("hive.apiary_id")} = ${apiary}` : undefined,
    };
    const codes = rowsOf<{ code: string }>(
      file,
      "select code from hive where apiary_id = ?",
      apiary,
    );
    await under(one, async (app) => {
      const html = await (await app.request("/hives?sort=apiary", { headers })).text();
      const seen = [...html.matchAll(/>(ZZ\d+)</g)].map(([, code]) => code);
      expect(seen.sort()).toEqual(
        codes
          .map(({ code }) => code)
          .sort()
          .slice(0, 25),
      );
      const offered = await (await app.request("/inspections/new", { headers })).text();
      expect(offered.match(/>ZZ\d+</g)?.length).toBe(codes.length);
      // Records out of sight are one group: which rows have the same one isn't said.
      const grouped = await app.request("/inspections?group=hive_id&size=200", { headers });
      const headings = [...(await grouped.text()).matchAll(/<tr class="group">.*?<\/tr>/gs)];
      const groups = headings.map(([heading]) => textOf(heading).trim());
      const blank = groups.filter((heading) => !/^ZZ\d+ · /.test(heading));
      const [{ hidden = 0 } = {}] = rowsOf<{ hidden: number }>(
        file,
        "select count(*) as hidden from inspection where hive_id not in (select id from hive where apiary_id = ?)",
        apiary,
      );
      expect(blank).toEqual([expect.stringContaining(`Nothing filled in · ${hidden} inspections`)]);
    });
  });
});

describe("routes", () => {
  it("each need an action, and are mounted in one place", async () => {
    await under({}, async (app) => {
      const mounted = generated.routesOf(app);
      const reachable = app.routes.filter(({ method }) => method !== "ALL");
      expect(reachable.map(({ method, path }) => `${method} ${path}`)).toEqual(
        mounted.map(({ method, path }) => `${method} ${path}`),
      );
      const free = mounted.filter(({ needs }) => needs === "nothing").map(({ path }) => path);
      expect([...new Set(free)]).toEqual([
        expect.stringMatching(/^\/-\/assets\//),
        "/-/manifest.json",
        "/",
        "/-/dashboard",
        "/-/calendar",
        "/-/calendar/feed/:secret",
        "/-/find",
        "/-/sent-files/:key",
        "/-/api",
        "/-/openapi.json",
        "/-/api-reference",
        "/-/api-changes",
      ]);
      expect(mounted.length).toBeGreaterThan(8 * 8);
    });
  });

  it.each([
    ["aren't there for whoever may see nothing", () => false, 404],
    ["refuse whoever may only see", (_scope: unknown, action: string) => action === "see", 403],
  ])("%s", async (_, may, status) => {
    await under({ may }, async (app) => {
      for (const { method, path, needs } of generated.routesOf(app)) {
        if (typeof needs === "string" || may(undefined, needs.action)) continue;
        const at = path.replace(":record{[0-9][^/]*}", "1").replace(":id{[0-9]{1,15}}", "1");
        const init =
          method === "GET" ? { headers } : { method, headers, body: new URLSearchParams() };
        expect((await app.request(at, init)).status, `${method} ${at}`).toBe(status);
      }
    });
  });
});
