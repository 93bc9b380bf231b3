import { Hono } from "hono";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { z } from "zod";
import { application } from "./application.tsx";
import { openTables } from "./database/current-dialect.ts";
import { formatCount, formatDate, formatDateTime, formatMoney, formatNumber } from "./formats.ts";
import { checkTyped, differences, type Form, typedValues, writtenValues } from "./forms.ts";
import { address, withQuery } from "./links.ts";
import { listRequest, relatedTo } from "./lists.ts";
import { RecordCell } from "./record-tables.tsx";
import { knownHosts } from "./security.ts";
import { configure } from "./settings.ts";
import * as values from "./values.ts";

const settings = { name: "Test <App>", language: "en-GB", currency: "EUR", timezone: "UTC" };
beforeEach(() => configure(settings));

/** Tables that no page here asks for. */
const nowhere = openTables<object>("sqlite::memory:");

const input = z.object({
  code: values.text({ max: 5 }),
  constructor: values.optional(values.text()),
  state: values.choice({ in_use: "In use", gone: "Gone" }),
  ready: values.boolean(),
  seen: values.optional(values.datetime()),
  apiary_id: values.optional(values.reference()),
  keepers: values.references(),
});

describe("forms", () => {
  it("look only at the fields they have", async () => {
    const data = new FormData();
    for (const [name, value] of [
      ["code", "B-07"],
      ["state", "gone"],
      ["keepers", "2"],
      ["keepers", "1"],
      ["id", "9"],
      ["__proto__", "x"],
    ] as const)
      data.append(name, value);
    data.append("seen", new File(["x"], "x"));
    const typed = typedValues(input, data);
    expect([...typed.keys()]).toEqual(["code", "state", "keepers"]);
    expect(await checkTyped(input, typed)).toEqual({
      value: {
        code: "B-07",
        constructor: null,
        state: "gone",
        ready: false,
        seen: null,
        apiary_id: null,
        keepers: [2, 1],
      },
    });
  });

  it("give one error a field, the first", async () => {
    const typed = new Map([
      ["code", ["too long"]],
      ["apiary_id", ["x"]],
      ["constructor", ["c"]],
    ]);
    const checked = await checkTyped(input, typed);
    expect("errors" in checked && [...checked.errors]).toEqual([
      ["code", "Use at most 5 characters."],
      ["state", "Choose one."],
      ["apiary_id", "Choose one of those offered."],
    ]);
  });

  it("start with a saved record, written as its inputs take it", () => {
    const record = {
      code: "B-07",
      state: "in_use",
      ready: true,
      seen: "2026-05-03T07:00:00Z",
      apiary_id: null,
      keepers: [{ id: 3, displayTitle: "Ana" }],
      other: 1,
    };
    configure({ ...settings, timezone: "Europe/Madrid" });
    expect([...writtenValues(input, record)]).toEqual([
      ["code", ["B-07"]],
      ["state", ["in_use"]],
      ["ready", ["yes"]],
      ["seen", ["2026-05-03T09:00"]],
      ["keepers", ["3"]],
    ]);
  });

  it("show what two people typed in words, not in numbers", () => {
    const form: Form = {
      values: new Map([
        ["code", ["A"]],
        ["state", ["gone"]],
        ["keepers", ["2", "1"]],
        ["apiary_id", ["7"]],
      ]),
      errors: new Map(),
      labels: {},
      options: {
        keepers: [
          { id: 1, displayTitle: "Ana" },
          { id: 2, displayTitle: "Bo" },
        ],
        apiary_id: [{ id: 7, displayTitle: "Hill" }],
      },
      input,
      token: "",
      state: { shown: {}, needed: {} },
      filled: [],
    };
    const saved = new Map([
      ["code", ["A "]],
      ["state", ["in_use"]],
      ["keepers", ["1", "2"]],
      ["apiary_id", ["8"]],
    ]);
    expect(differences(form, saved)).toEqual([
      { name: "state", saved: "In use", typed: "Gone" },
      { name: "apiary_id", saved: "8", typed: "Hill" },
    ]);
  });
});

describe("formats", () => {
  it("write nothing for nothing", () => {
    expect([formatNumber(null), formatMoney(null), formatDate(null), formatDateTime(null)]).toEqual(
      ["", "", "", ""],
    );
  });

  it("follow the language and the time zone", () => {
    expect([
      formatNumber(1234.5, "kg"),
      formatMoney(-3),
      formatDate("2026-05-03"),
      formatCount(1, "hive", "hives"),
      formatCount(2000, "hive", "hives"),
    ]).toEqual(["1,234.5\u00a0kg", "-€3.00", "3 May 2026", "1 hive", "2,000 hives"]);
    configure({ ...settings, language: "es", timezone: "America/Lima" });
    expect([
      formatNumber(12345.5),
      formatDate("2026-05-03"),
      formatDateTime("2026-05-03T02:00:00Z"),
    ]).toEqual(["12.345,5", "3 may 2026", expect.stringContaining("2 may 2026")]);
  });
});

describe("the cell that leads to a record", () => {
  it("stands under its heading, and says the title where it would be blank", () => {
    const cell = (value: number | string, numeric: boolean) =>
      (
        <RecordCell path="/finds" record={{ id: 3, displayTitle: "Find 3" }} numeric={numeric}>
          {value}
        </RecordCell>
      ).toString();
    expect(cell(7, true)).toMatch(/^<td class="text-end"><a href="\/finds\/3[^"]*">7<\/a><\/td>$/);
    expect(cell("", false)).toMatch(/^<td><a href="[^"]+">Find 3<\/a><\/td>$/);
  });
});

describe("addresses of lists", () => {
  it("are read leniently", () => {
    const read = (query: string) => {
      const { search, sort, page } = listRequest(new URLSearchParams(query));
      return { search, sort, page };
    };
    expect(read("search=+a++b+&sort=-code&page=3")).toEqual({
      search: "a  b",
      sort: "-code",
      page: 3,
    });
    for (const page of ["0", "-1", "1.5", "x", "1e99"]) expect(read(`page=${page}`).page).toBe(1);
    expect(read(`search=${"x".repeat(999)}%00`).search).toHaveLength(100);
    expect(relatedTo("hive_id", 7).query.toString()).toBe("hive_id=7");
  });

  it("keep the rest of their query", () => {
    const query = new URLSearchParams("search=a&page=2");
    expect(withQuery("/hives", query, { page: undefined, sort: "code" })).toBe(
      "/hives?search=a&sort=code",
    );
    expect(withQuery("/hives", query, { page: undefined, search: undefined })).toBe("/hives");
    expect(address("/hives", { id: 7, displayTitle: "…" })).toBe("/hives/7");
  });
});

describe("hosts", () => {
  afterEach(() => {
    delete process.env.HOST;
    delete process.env.HOST_NAMES;
  });
  const status = async (host: string) => {
    const app = new Hono().use(knownHosts()).get("/", (c) => c.text("in"));
    return (await app.request("/", { headers: { host } })).status;
  };

  it.each([
    ["localhost", 200],
    ["LOCALHOST:3000", 200],
    ["127.0.0.1:80", 200],
    ["[::1]:3000", 200],
    ["evil.example", 421],
    ["localhost.evil.example", 421],
    ["127.0.0.1.evil.example:3000", 421],
    ["", 421],
  ])("%j gets %i", async (host, expected) => {
    expect(await status(host)).toBe(expected);
  });

  it("are those of this machine, the one listened on, and those that are allowed by name", async () => {
    process.env.HOST = "192.0.2.7";
    process.env.HOST_NAMES = "bees.example, Hives.example";
    expect([
      await status("192.0.2.7:3000"),
      await status("bees.example"),
      await status("hives.example:80"),
      await status("other.example"),
    ]).toEqual([200, 200, 200, 421]);
  });
});

describe("what goes wrong", () => {
  it("gets a page of the application, escaped, with its protections", async () => {
    const app = application(nowhere, [{ path: "/hives", label: "Hives & <more>" }]);
    app.get("/broken", () => {
      throw new Error("inside");
    });
    const missing = await app.request("/nowhere", { headers: { host: "localhost" } });
    const html = await missing.text();
    expect(missing.status).toBe(404);
    expect(html).toContain("Hives &amp; &lt;more&gt;");
    expect(html).toContain("Test &lt;App&gt;");
    expect(missing.headers.get("content-security-policy")).toContain("frame-ancestors 'none'");
    expect(missing.headers.get("x-content-type-options")).toBe("nosniff");
    const silenced = console.error;
    console.error = () => undefined;
    const broken = await app.request("/broken", { headers: { host: "localhost" } });
    console.error = silenced;
    expect([broken.status, (await broken.text()).includes("inside")]).toEqual([500, false]);
  });

  it.each([
    [{}, 403],
    [{ origin: "http://evil.example" }, 403],
    [{ origin: "http://localhost" }, 200],
  ])("a form of %j gets %i", async (headers, expected) => {
    const app = application(nowhere, []).post("/x", (c) => c.text("taken"));
    const answer = await app.request("http://localhost/x", {
      method: "POST",
      body: new URLSearchParams({ a: "1" }),
      headers: { host: "localhost", ...headers } as Record<string, string>,
    });
    expect(answer.status).toBe(expected);
  });
});
