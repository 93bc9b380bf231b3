import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { readModel } from "../src/core/model/read.ts";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { type Running, running } from "./support/program.ts";
import { hiddenInputs, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app:
  name: Hive Book
  database: sqlite
users:
  groups: {members: Members, wardens: Wardens}
entities:
  Yard:
    title: "{name}"
    fields: {name: "text, required, unique", above: one Yard}
    columns: ["{name} in {above}"]
    rights: {everyone: [see, change, export]}
    seed:
      fixed:
        - {name: Valley}
        - {name: Slope, above: Valley}
        - {name: Terrace, above: Slope}
        - {name: Island}
  Hive:
    title: "{code}"
    fields:
      code: text, required, unique
      state: choice active | weak | gone, default active
      frames: integer
      price: money
      removed: date, shown when state = 'gone', required
    columns: [code, state, frames]
    sort: code
    layouts: [board state, table, cards]
    colors: {state: {active: green, weak: red}}
    highlights:
      - Costs <b>much: "= price > 100"
      - Full to the brim: {color: blue, when: "= frames > 10"}
    views:
      Weak & small: state=weak&sort=-frames&layout=table
    rights: {members: [see, change, "hide price"], wardens: everything}
    seed:
      fixed:
        - {code: H1, state: active, frames: 12, price: 200}
        - {code: H2, state: active, frames: 2, price: 200}
        - {code: H3, state: weak, frames: 11, price: 5}
        - {code: H4, frames: 1, state: weak}
labels:
  es:
    Hive view Weak & small: Débiles
    Hive highlight Full to the brim: Llena
`;

describe.each(kinds)("lists laid out over $kind", (kind) => {
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

  /** The codes in each column of a board. */
  const columns = (html: string) =>
    Object.fromEntries(
      html
        .split('<section class="board-column"')
        .slice(1)
        .map((column) => [
          /data-value="([^"]*)"/.exec(column)?.[1],
          [...column.matchAll(/<h[23]><a href="[^"]*">(\w+)</g)].map(([, code]) => code),
        ]),
    );
  /** The form on a board that moves a record. */
  const mover = (html: string, code: string) => {
    const card = html
      .split('<article class="card-record"')
      .find((part) => part.includes(`>${code}</a>`));
    return hiddenInputs(card ?? "");
  };

  it("are a board first where the model says so, whose records are moved as a form would save them", async () => {
    const { html } = await member.get("/hives");
    expect(columns(html)).toEqual({ active: ["H1", "H2"], weak: ["H3", "H4"], gone: [] });
    expect(html).toMatch(/data-value="active" data-color="green"/);
    const form = mover(html, "H2");
    const moved = await member.post("/hives/move", { ...form, to: "weak" });
    expect([moved.path, columns(moved.html)]).toEqual([
      "/hives",
      { active: ["H1"], weak: ["H2", "H3", "H4"], gone: [] },
    ]);
    expect(textOf(moved.html)).toContain("H2: Weak.");
    // Sent again, it is the same; with something else in it, the record has changed since.
    expect(textOf((await member.post("/hives/move", { ...form, to: "weak" })).html)).toContain(
      "H2: Weak.",
    );
    const stale = await member.post("/hives/move", { ...form, to: "active" });
    expect([stale.status, textOf(stale.html).includes("Somebody else changed it")]).toEqual([
      409,
      true,
    ]);
    const gone = await member.post("/hives/move", { ...mover(moved.html, "H2"), to: "gone" });
    expect([gone.status, textOf(gone.html)]).toEqual([422, expect.stringContaining("Removed: ")]);
    const nonsense = await member.post("/hives/move", { ...mover(moved.html, "H2"), to: "<b>" });
    expect(nonsense.status).toBe(422);
    expect(await project.rows("select code, state from hive where code = 'H2'")).toEqual([
      { code: "H2", state: "weak" },
    ]);
  });

  it("are narrowed by filters and searches in every layout", async () => {
    const board = await member.get("/hives?frames.from=10");
    expect(columns(board.html)).toEqual({ active: ["H1"], weak: ["H3"], gone: [] });
    expect(columns((await member.get("/hives?state=weak&search=H3")).html)).toEqual({
      weak: ["H3"],
    });
    const cards = await member.get("/hives?layout=cards&frames.from=10");
    expect(
      [...cards.html.matchAll(/<h[23]><a href="[^"]*">(\w+)</g)].map(([, code]) => code),
    ).toEqual(["H1", "H3"]);
    expect(textOf(cards.html)).toMatch(/H1 .*State Active Frames 12/);
  });

  it("highlight rows by the first condition that holds, of what the person sees", async () => {
    const painted = async (visitor: Visitor) => {
      const { html } = await visitor.get("/hives?layout=table");
      return [...html.matchAll(/<tr(?: data-color="(\w+)")?><td class="chosen">.*?<\/tr>/gs)].map(
        ([row, color]) => [/>(H\d)</.exec(row)?.[1], color],
      );
    };
    expect(await painted(warden)).toEqual([
      ["H1", "yellow"],
      ["H2", "yellow"],
      ["H3", "blue"],
      ["H4", undefined],
    ]);
    // A price that somebody doesn't see isn't told by a colour.
    expect(await painted(member)).toEqual([
      ["H1", "blue"],
      ["H2", undefined],
      ["H3", "blue"],
      ["H4", undefined],
    ]);
    const { html } = await warden.get("/hives?layout=cards");
    expect(html).toContain('title="Costs &lt;b&gt;much"');
  });

  it("have the views of the model above them", async () => {
    const { html } = await member.get("/hives?state=weak&sort=-frames&layout=table");
    expect(html).toMatch(/aria-current="true">Weak &amp; small<\/a>/);
  });

  it("are a tree of what is above what, of which nothing is lost", async () => {
    const tree = async () =>
      textOf(
        /<div class="tree">.*?<\/div>/s.exec((await member.get("/yards?layout=tree")).html)?.[0] ??
          "",
      ).trim();
    expect(await tree()).toBe("Island Valley 1 yard below Slope 1 yard below Terrace");
    expect((await member.get("/yards?layout=tree&search=Terrace")).html).toContain(">Terrace<");
  });

  it("show several fields in one column, which is sorted by each and searched by each", async () => {
    const { html } = await member.get("/yards?sort=-above&layout=table");
    expect(textOf(/<thead>.*?<\/thead>/s.exec(html)?.[0] ?? "").trim()).toBe(
      "Tick Yard Name · Above ↓",
    );
    const cells = [...html.matchAll(/<td>((?:(?!<td).)*)<\/td><\/tr>/gs)].map(([, cell = ""]) =>
      textOf(cell).trim(),
    );
    expect(cells.slice(0, 2)).toEqual(["Slope in Valley", "Terrace in Slope"]);
    expect(cells.slice(2).sort()).toEqual(["Island", "Valley"]);
    const csv = await member.get("/yards/export/csv?search=Valley");
    expect(csv.html.trim().split("\r\n")).toEqual(["Name · Above", "Slope in Valley", "Valley"]);
  });

  it("keep the columns and the order that a person chose, for that person", async () => {
    const chosen = {
      rows: "compact",
      "_place.frames": "1",
      "_place.code": "2",
      _by: "frames",
      _way: "-",
      layout: "table",
    };
    const { path } = await member.post("/hives/columns", chosen);
    expect(path).toBe("/hives?rows=compact&layout=table&columns=frames%2Ccode&sort=-frames");
    expect((await member.get("/hives?layout=table")).html).toContain("table-sm");
    const heads = async (visitor: Visitor, query = "") =>
      textOf(
        /<thead>.*?<\/thead>/s.exec((await visitor.get(`/hives?layout=table${query}`)).html)?.[0] ??
          "",
      ).trim();
    expect(await heads(member)).toBe("Tick Frames ↓ Code");
    expect(await heads(member, "&columns=code")).toBe("Tick Code ↑");
    expect(await heads(warden)).toBe("Tick Code ↑ State Frames");
    const wide = await member.post("/hives/columns", {
      ...chosen,
      "_width.code": "240",
      "_width.frames": "x",
    });
    expect(wide.path).toContain("columns=frames%2Ccode%3A240");
    expect(wide.html).toContain('<colgroup><col/><col/><col width="240"/></colgroup>');
    await member.post("/hives/columns", { _reset: "yes" });
    expect(await heads(member)).toBe("Tick Code ↑ State Frames");
  });

  it("order by nothing that a person doesn't see", async () => {
    const order = async (visitor: Visitor) =>
      [
        ...(await visitor.get("/hives?layout=cards&sort=-price,-code")).html.matchAll(
          /<h[23]><a href="[^"]*">(\w+)</g,
        ),
      ].map(([, code]) => code);
    expect(await order(member)).toEqual(["H4", "H3", "H2", "H1"]);
    expect(await order(warden)).toEqual(["H2", "H1", "H3", "H4"]);
  });
});

describe("in the model", () => {
  const said = (line: string) => {
    const text = `levadura: 1
entities:
  Hive:
    fields: {code: "text, required", state: choice active | weak, above: one Hive}
    ${line}
`;
    return readModel(text).diagnostics.map(({ message, help }) => `${message} (${help ?? ""})`);
  };
  it.each([
    ['columns: ["{cod} in {above}"]', /no field `cod`/],
    ['columns: ["{code"]', /a brace in this title has no partner/],
    ["layouts: [board]", /`board` is no layout \(there are `table`/],
    [
      "layouts: [board code]",
      /a board has a column for each value of a `choice`, and `code` is none/,
    ],
    ["layouts: [tree state]", /a tree goes by a reference to `Hive` itself/],
    ["layouts: [tabel]", /`tabel` is no layout/],
    ["layouts: [cards, cards]", /`cards` appears here twice/],
    ["layouts: [board stat]", /no field `stat` \(did you mean `state`\?\)/],
    ["colors: {code: {a: red}}", /`code` is no `choice`/],
    ["colors: {state: {actve: red}}", /no choice `actve` \(did you mean `active`\?\)/],
    ["colors: {state: {active: gren}}", /there is no colour `gren` \(did you mean `green`\?\)/],
    ["highlights: {a: b}", /expected a list of highlights|highlights are a list/],
    ["highlights: [Weak: state]", /a condition is a formula, and begins with `=`/],
    ['highlights: [Weak: {wen: "= 1 = 1"}]', /`wen` is not known here/],
    ["views: {Weak: weak ones}", /a view is what stands behind the `\?`/],
  ])("%s is said to be wrong", (line, message) => {
    expect(said(line).join("\n")).toMatch(message);
  });
});
