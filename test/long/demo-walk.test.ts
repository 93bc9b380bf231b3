import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Action, Model } from "../../src/core/model/model.ts";
import { readModel } from "../../src/core/model/read.ts";
import { rightsOf } from "../../src/core/model/rights.ts";
import { demoModel } from "../support/demo.ts";
import { projectWith, type Running, running } from "../support/program.ts";
import { textOf, Visitor } from "../support/visitor.ts";

/** How many addresses of one form are opened by each person. */
const ofEachForm = 2;

/** An address with what differs between records left out, and whatever a list is asked for. */
function formOf(address: string): string {
  const [path = "", query] = address.split("?");
  return `${path.replace(/\/\d+[^/]*/g, "/:record")}${query === undefined ? "" : "?"}`;
}

function linksIn(html: string): string[] {
  return [...html.matchAll(/ (?:href|src)="(\/[^"#]*)/g)].map(([, address = ""]) =>
    address.replaceAll("&amp;", "&"),
  );
}

/** Whatever a person is led to, from the first page on: each address with the page behind it. */
async function walked(visitor: Visitor): Promise<Map<string, { status: number; html: string }>> {
  const pages = new Map<string, { status: number; html: string }>();
  const forms = new Map<string, number>();
  const waiting = ["/"];
  for (const address of waiting) {
    const form = formOf(address);
    const opened = forms.get(form) ?? 0;
    if (pages.has(address) || opened >= ofEachForm) continue;
    forms.set(form, opened + 1);
    const { status, html } = await visitor.get(address);
    pages.set(address, { status, html });
    // Files lead nowhere, and take a while to be made.
    const links = linksIn(html).filter((link) => !/\/export\/(xlsx|pdf)/.test(link));
    if (!address.startsWith("/-/assets")) waiting.push(...links);
  }
  return pages;
}

const model = readModel(demoModel()).model as Model;
const paths = new Map(model.entities.map((entity) => [`/${entity.plural.toLowerCase()}`, entity]));

/** What an address needs, as far as it is one of an entity. */
function neededBy(address: string) {
  const [path = "", record, end] = (address.split("?")[0] ?? "").slice(1).split("/");
  const entity = paths.get(`/${decodeURI(path)}`);
  if (!entity) return undefined;
  const ends: Record<string, Action> = {
    edit: "change",
    delete: "delete",
    history: "history",
    "as-it-was": "history",
    change: "change",
    archive: "change",
    restore: "change",
    new: "add",
    duplicate: "add",
    merge: "delete",
    export: "export",
    grid: "change",
    import: "add",
  };
  const action = ends[record ?? ""] ?? ends[end ?? ""] ?? "see";
  return { entity, action };
}

/** Whether a group may do something with all records of an entity, with some, or with none. */
function given(group: string, { entity, action }: NonNullable<ReturnType<typeof neededBy>>) {
  if (group === "administrators" || !model.users) return "all";
  const rights = rightsOf(model.users, entity);
  const grants = ["everyone", "visitors", group]
    .flatMap((each) => rights[each] ?? [])
    .filter(({ may }) => may.includes(action));
  return grants.length === 0 ? "none" : grants.some(({ where }) => !where) ? "all" : "some";
}

describe("the demo, walked through", () => {
  const groups = ["members", "wardens", "office", "board", "administrators"];
  const people = new Map<string, Visitor>();
  const seen = new Map<string, Awaited<ReturnType<typeof walked>>>();
  const all = new Set<string>();
  let app: Running;
  let elsewhere: Visitor;

  beforeAll(async () => {
    app = await running(["rise"], projectWith(demoModel(), true));
    for (const group of groups) {
      const visitor = new Visitor(app.address);
      expect((await visitor.post("/-/sample", { group, to: "/" })).path).toBe("/");
      people.set(group, visitor);
      const pages = await walked(visitor);
      seen.set(group, pages);
      for (const address of pages.keys()) all.add(address);
    }
    elsewhere = new Visitor(app.address);
    await elsewhere.post("/-/sample", { group: "administrators", to: "/" });
    await elsewhere.post("/-/organisations", { do: "go to", organisation: "2" });
  }, 240_000);
  afterAll(() => app.stop());

  it("leads nobody to a page that isn't there for them, and finds every kind of page", () => {
    for (const [group, pages] of seen)
      for (const [address, { status }] of pages)
        expect([group, address, status]).toEqual([group, address, 200]);
    const forms = new Set([...all].map((address) => formOf(address).split("?")[0]));
    for (const path of paths.keys())
      for (const end of [
        "",
        "/new",
        "/:record",
        "/:record/edit",
        "/:record/delete",
        "/:record/history",
      ])
        expect(forms).toContain(path + end);
    expect(all.size).toBeGreaterThan(200);
  });

  it("answers each group as the rights of the model say, wherever another one was led", async () => {
    for (const [group, visitor] of people) {
      for (const address of all) {
        const needed = neededBy(address);
        if (!needed) continue;
        const { status } = await visitor.get(address);
        const right = given(group, needed);
        const said = [group, address, right, status];
        if (right === "all") expect(said).toEqual([group, address, right, 200]);
        else if (right === "some") expect([200, 403, 404], said.join(" ")).toContain(status);
        else {
          const sees = given(group, { ...needed, action: "see" }) !== "none";
          expect(said).toEqual([group, address, right, sees ? 403 : 404]);
        }
        if (right === "none" && /\/(new|edit|archive|delete)$/.test(address))
          expect([group, address, (await visitor.post(address, {})).status]).toEqual([
            group,
            address,
            status,
          ]);
      }
    }
  }, 240_000);

  it("has the pages of administrators for them alone", async () => {
    const own = [...all].filter((address) => /^\/-\/(people|log|activity|rights)/.test(address));
    expect(own.length).toBeGreaterThan(5);
    for (const group of groups.slice(0, -1))
      for (const address of own)
        expect([group, address, (await people.get(group)?.get(address))?.status]).toEqual([
          group,
          address,
          404,
        ]);
  }, 60_000);

  it("shows nobody anything before they sign in", async () => {
    const nobody = new Visitor(app.address);
    for (const address of all) {
      // Under `rise`, everybody reads the emails that nobody sends.
      if (/^\/-\/(assets|manifest|sign-in|mail)/.test(address)) continue;
      const { path, html, status } = await nobody.get(address);
      if (address === "/-/openapi.json") {
        expect([status, html.includes("hive")]).toEqual([401, false]);
        continue;
      }
      expect([address, path.split("?")[0]]).toEqual([address, "/-/sign-in"]);
      expect(html).not.toContain('<nav class="side" aria-label="Menu"><ul class="menu"><li>');
    }
  }, 120_000);

  it("has nothing of one association in the other", async () => {
    for (const address of all) {
      const needed = neededBy(address);
      if (!needed) continue;
      // A way back is only what the address itself says.
      const { status, html } = await elsewhere.get(address.replace(/[?&]_back=[^&]*/, ""));
      const isRecord = /^\/[^/]+\/\d/.test(address);
      expect([address, status]).toEqual([address, isRecord ? 404 : 200]);
      const titles = [...html.matchAll(/ href="(\/[^/"]+\/\d[^"]*)"/g)].map(([, to]) => to);
      expect([address, titles]).toEqual([address, []]);
    }
  }, 120_000);

  it("keeps hidden fields from those from whom the model hides them", () => {
    const prices = (group: string) =>
      [...(seen.get(group) ?? [])].filter(
        ([address, { html }]) =>
          address.startsWith("/equipment") &&
          (/\bPrice\b/.test(textOf(html)) || html.includes('name="price"')),
      );
    expect(prices("members")).toEqual([]);
    expect(prices("office").length).toBeGreaterThan(3);
  });
});
