import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { type Running, running } from "./support/program.ts";
import { hiddenInputs, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en, database: sqlite}
users:
  groups: {office: Office, guests: Guests}
  rights: {office: everything, guests: see}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text ..20, required, unique
      traits: tags
      needed: tags, required when code = 'R'
      hidden: tags
    highlights:
      - Nothing but gentle: "= traits = 'gentle'"
    seed: 0
    rights: {office: everything, guests: [see where code <> 'B-9', hide hidden]}
`;

describe.each(kinds)("tags over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  let guest: Visitor;

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "office");
    guest = await Visitor.of(app.address, "guests");
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  const add = async (code: string, traits: string, more: Record<string, string> = {}) => {
    const form = await office.get("/hives/new");
    return office.post("/hives/new", { ...hiddenInputs(form.html), code, traits, ...more });
  };
  const listed = async (query: string, who = office) => {
    const { html } = await who.get(`/hives?${query}`);
    return [...html.matchAll(/<a href="\/hives\/\d+-[^"]*">([^<]+)<\/a>/g)].map(([, text]) => text);
  };

  it("are kept each once, and refused where they are none", async () => {
    const texts: Record<string, string> = {
      "B-1": " gentle,by the  road ;Gentle, shade",
      "B-2": "gentle",
      "B-3": "gentleness, 100% honey_",
      "B-4": "",
      "B-5": "<b>'bold'</b>, 100x honey1",
      "B-9": "secret",
    };
    for (const [code, traits] of Object.entries(texts))
      expect(textOf((await add(code, traits, { hidden: "h1" })).html)).toContain("Hive saved");
    expect(await project.rows("select code, traits from hive order by code")).toEqual([
      { code: "B-1", traits: "gentle, by the road, shade" },
      { code: "B-2", traits: "gentle" },
      { code: "B-3", traits: "gentleness, 100% honey_" },
      { code: "B-4", traits: null },
      { code: "B-5", traits: "<b>'bold'</b>, 100x honey1" },
      { code: "B-9", traits: "secret" },
    ]);
    for (const [traits, why] of [
      ["x".repeat(41), "A tag has 40 characters at most."],
      [Array.from({ length: 31 }, (_, at) => at).join(), "30 tags at most."],
      ["x,".repeat(3000), "This is too long."],
      [Array.from({ length: 29 }, (_, at) => `${at}`.padEnd(40, "x")).join(), "This is too long."],
    ] as const) {
      const refused = await add("B-7", traits);
      expect([refused.status, textOf(refused.html)]).toEqual([422, expect.stringContaining(why)]);
    }
    expect((await add("R", "", { needed: " , ;" })).status).toBe(422);
  });

  it("are filtered by the whole of each, with counts", async () => {
    expect(await listed("traits=gentle")).toEqual(["B-1", "B-2"]);
    expect(await listed("traits=gentle&traits=secret")).toEqual(["B-1", "B-2", "B-9"]);
    expect(await listed("traits=100%25+honey_")).toEqual(["B-3"]);
    expect(await listed("traits.blank=yes")).toEqual(["B-4"]);
    expect(await listed("traits=GENTLE")).toEqual([]);
    expect(await listed("search=gentle")).toEqual(["B-1", "B-2", "B-3"]);
    const panel = textOf((await office.get("/hives/filter")).html);
    expect(panel).toMatch(/gentle 2 .*Nothing filled in 1/);
    expect((await office.get("/hives/filter")).html).not.toContain("<b>'bold'</b>");
    // What somebody doesn't see is neither offered nor counted.
    const own = textOf((await guest.get("/hives/filter")).html);
    expect(own).not.toContain("secret");
    expect(own).not.toContain("h1");
    expect(await listed("traits=secret", guest)).toEqual([]);
    expect((await office.get("/hives")).html).toContain("Nothing but gentle");
  });

  it("are offered by what others have", async () => {
    const offered = async (query: string, who = office, field = "traits") => {
      const { status, content } = await who.bytes(`/hives/tags/${field}?typed=${query}`);
      return status === 200 ? JSON.parse(content.toString()).tags : status;
    };
    expect(await offered("gen")).toEqual(["gentle", "gentleness"]);
    expect(await offered("ROAD")).toEqual(["by the road"]);
    expect(await offered("secr", guest)).toEqual([]);
    expect(await offered("secr")).toEqual(["secret"]);
    expect(await offered("h", guest, "hidden")).toBe(404);
    expect(await offered("h", office, "code")).toBe(404);
    expect(await offered("h", office, "constructor")).toBe(404);
    expect(await offered("%27%22%25%5C")).toEqual([]);
  });
});
