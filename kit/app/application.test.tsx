import { sql } from "kysely";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Policy } from "../access/scope.ts";
import { openTables } from "../database/current-dialect.ts";
import { entity } from "../entity/entity.ts";
import { features } from "../features/feature.ts";
import { form } from "../features/form/form.tsx";
import { list } from "../features/list/list.tsx";
import { text } from "../fields/builders.ts";
import { FormFrame } from "../ui/form-page.tsx";
import { type Application, application } from "./application.ts";

const hive = entity({
  table: "hive",
  path: "/hives",
  label: { other: "Hive <&>", es: "Colmena <&>" },
  plural: { other: "Hives & <more>", es: "Colmenas" },
  fields: { code: text({ label: "Code" }) },
});

/** An application whose database has no tables: nothing here may ask it. */
const made = (more: Partial<Application<object>> = {}) =>
  application({
    db: openTables<object>("sqlite::memory:"),
    settings: { name: "Test <App>", language: "en-GB", currency: "EUR", timezone: "UTC" },
    entities: [
      features(hive, {}, [
        list(hive, ["code"]),
        form(hive, ({ form }) => <FormFrame form={form} />),
      ]),
    ],
    ...more,
  });
const host = { host: "localhost" };

afterEach(() => vi.restoreAllMocks());

describe("what goes wrong", () => {
  it("gets a page of the application, escaped, with its protections", async () => {
    const missing = await made().request("/nowhere", { headers: host });
    const html = await missing.text();
    expect(missing.status).toBe(404);
    expect(html).toContain("Hives &amp; &lt;more&gt;");
    expect(html).toContain("Test &lt;App&gt;");
    expect(missing.headers.get("content-security-policy")).toContain("frame-ancestors 'none'");
    expect(missing.headers.get("x-content-type-options")).toBe("nosniff");
  });

  it("is told without what is inside", async () => {
    const logged = vi.spyOn(console, "error").mockReturnValue(undefined);
    const broken = await made().request("/hives", { headers: host });
    expect([broken.status, (await broken.text()).includes("no such table")]).toEqual([500, false]);
    expect(logged).toHaveBeenCalledOnce();
  });

  it("is logged without the secrets of addresses", async () => {
    const logged = vi.spyOn(console, "error").mockReturnValue(undefined);
    const secret = "s".repeat(43);
    const app = made({ access: { groups: {}, rights: {} }, personOf: () => undefined });
    for (const path of [`/-/welcome/${secret}`, `/-/calendar/feed/${secret}.ics`])
      expect([path, (await app.request(path, { headers: host })).status]).toEqual([path, 500]);
    expect(logged).toHaveBeenCalledTimes(2);
    expect(JSON.stringify(logged.mock.calls)).not.toContain(secret);
  });

  it.each([
    [{}, 403],
    [{ origin: "http://evil.example" }, 403],
    [{ origin: "http://localhost" }, 422],
  ])("a form of %j gets %i", async (headers, expected) => {
    const answer = await made().request("http://localhost/hives/new", {
      method: "POST",
      body: new URLSearchParams({ code: "" }),
      headers: { ...host, ...headers } as Record<string, string>,
    });
    expect(answer.status).toBe(expected);
  });
});

describe("people", () => {
  it("each get pages in their own language, in one process", async () => {
    const app = made({
      personOf: (c) => ({ id: 1, name: "Ana", language: c.req.header("x-language") ?? "en" }),
    });
    const page = async (language: string) =>
      (await app.request("/hives/new", { headers: { ...host, "x-language": language } })).text();
    const [spanish, english] = await Promise.all([page("es-MX"), page("en")]);
    expect(spanish).toContain("<h1>Añadir colmena &lt;&amp;&gt;</h1>");
    expect(spanish).toContain('<html lang="es-MX"');
    expect(english).toContain("<h1>New hive &lt;&amp;&gt;</h1>");
  });

  it("each get titles in their own language, also those that are made of a word and a number", async () => {
    const db = openTables<object>("sqlite::memory:");
    await sql`create table hive (id integer primary key, version integer default 1, created_at text default '', updated_at text default '', code text, code__order text)`.execute(
      db,
    );
    await sql`insert into hive (id) values (7)`.execute(db);
    const app = made({
      db,
      personOf: (c) => ({ id: 1, name: "Ana", language: c.req.header("x-language") ?? "en" }),
    });
    for (const [language, title] of [
      ["en", "hive-7"],
      ["es", "colmena-7"],
      ["en", "hive-7"],
    ] as const) {
      const page = await app.request("/hives", { headers: { ...host, "x-language": language } });
      expect(await page.text()).toContain(`href="/hives/7-${title}"`);
    }
  });

  it("are refused what they may not do, and don't see links to it", async () => {
    const policy: Policy = {
      may: (_scope, action) => action === "see",
      visible: () => undefined,
    };
    const app = made({ policy });
    const refused = await app.request("/hives/new", { headers: host });
    expect([refused.status, await refused.text()]).toEqual([
      403,
      expect.stringContaining("You may not do this."),
    ]);
    const none = made({ policy: { may: () => false, visible: () => undefined } });
    const start = await none.request("/", { headers: host });
    expect([start.status, (await start.text()).includes("/hives")]).toEqual([200, false]);
  });
});
