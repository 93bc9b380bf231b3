import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import Driver from "libsql";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { rowsOf } from "./support/database.ts";
import { kinds, projectOn } from "./support/kinds.ts";
import { levadura, projectWith, type Running, running } from "./support/program.ts";
import { Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app:
  name: Marks
  database: sqlite
entities:
  Region:
    title: "{name}"
    fields:
      name: text, required, unique
    seed: {file: regions.csv}
  Mark:
    title: "{code}"
    fields:
      code: text, required, unique
      sign: text
      story: long text
      state: choice fresh | worn
      region: one Region
    seed: {file: marks.csv}
`;
const indexed = model.replaceAll("    title:", "    search: indexed\n    title:");

/** The same texts in every run: letters with and without accents, in all cases, and some that only look alike. */
const letters = [..."aáÀsSßnÑñ", "й", "и", "И", "-", "%", "_", '"', "'", "*", "[", " ", "日"];
let state = 7;
const random = (below: number) => {
  state = (state * 48_271) % 2_147_483_647;
  return state % below;
};
const text = (longest: number) =>
  Array.from({ length: random(longest) }, () => letters[random(letters.length)] ?? "").join("");
const tidy = (line: string) => line.replace(/\s+/g, " ").trim();
const plain = (line: string) => line.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();
const csv = (cells: readonly string[]) =>
  cells.map((cell) => `"${cell.replaceAll('"', '""')}"`).join(",");

const regions = ["Sierra Ñoña", "Llano", "MAЙSKY"];
const marks = Array.from({ length: 240 }, (_, at) => ({
  code: `M-${at}`,
  sign: tidy(text(9)),
  story: tidy(text(40)),
  state: ["fresh", "worn", ""][random(3)] ?? "",
  region: ["", ...regions][random(4)] ?? "",
}));
type Mark = (typeof marks)[number];

/** The marks that a search keeps, found in memory. */
function kept(all: readonly Mark[], search: string): string[] {
  const words = search.split(/\s+/).filter(Boolean).map(plain);
  return all
    .filter((mark) =>
      words.every((word) => Object.values(mark).some((value) => plain(value).includes(word))),
    )
    .map(({ code }) => code)
    .sort();
}

const servers = kinds.filter(({ kind }) => kind !== "mariadb");

describe.each(servers)("searches through an index of parts of words over $kind", (kind) => {
  const project = projectOn(kind, model);
  const { folder } = project;
  let server: Running;
  let visitor: Visitor;
  const rewrite = (change: (text: string) => string) => {
    const file = join(folder, "model.yaml");
    writeFileSync(file, change(readFileSync(file, "utf8")));
  };
  const run = async (...commands: string[][]) => {
    for (const command of commands) {
      const { status, err } = await levadura(command, folder);
      expect([command, status, err]).toEqual([command, 0, ""]);
    }
  };
  const open = async () => {
    server = await running(["serve"], folder);
    visitor = new Visitor(server.address);
  };
  const found = async (search: string, path = "marks") => {
    const { html } = await visitor.get(`/${path}?${new URLSearchParams({ search, size: "200" })}`);
    return [...html.matchAll(/>(M-\d+)</g)].map(([, code = ""]) => code).sort();
  };
  const compare = async (all: readonly Mark[], path = "marks", count = 6) => {
    const searches = [
      ...Array.from({ length: count }, () => {
        const from = plain(all[random(all.length)]?.story ?? "");
        return from.slice(random(5)).slice(0, 3 + random(4));
      }),
      "ssn",
      "й-и",
      "Ñoña",
      "MAИ",
      "worn",
      "M-12",
      "M-12 worn",
      `"a*`,
      "日",
      "nothing-at-all",
      "a",
    ].filter((search) => search.trim() !== "" && kept(all, search).length <= 200);
    expect(searches.length).toBeGreaterThan(12);
    for (const search of searches)
      expect([search, await found(search, path)]).toEqual([search, kept(all, search)]);
  };

  beforeAll(async () => {
    mkdirSync(join(folder, "data"));
    writeFileSync(join(folder, "data/regions.csv"), ["name", ...regions].join("\n"));
    const lines = marks.map((mark) => csv(Object.values(mark)));
    writeFileSync(
      join(folder, "data/marks.csv"),
      ["code,sign,story,state,region", ...lines].join("\n"),
    );
    await run(["prepare"], ["migrate"], ["seed"], ["build"]);
  }, 120_000);
  afterAll(() => project.remove());

  it("find the same, while records come, change and go", async () => {
    await open();
    await compare(marks);
    await server.stop();
    rewrite((before) => before.replaceAll("    title:", "    search: indexed\n    title:"));
    const told = await levadura(["changes"], folder);
    expect(told.out + told.err).toContain("gets an index of parts of words");
    await run(["prepare"], ["migrate"], ["build"], ["changes", "--check"]);
    await open();
    await compare(marks);
    const all = [...marks];
    const ids = await project.rows<{ id: number; code: string }>("select id, code from mark");
    const idOf = (code: string) => ids.find((row) => row.code === code)?.id;
    for (let step = 0; step < 12; step++) {
      const at = random(all.length);
      const one = all[at] as Mark;
      if (step % 3 === 0) {
        await visitor.submit(`/marks/${idOf(one.code)}/delete`);
        all.splice(at, 1);
        continue;
      }
      const changed = { ...one, sign: tidy(text(12)), story: tidy(text(30)) };
      if (step % 3 === 1) changed.code = `M-9${step}${at}`;
      const path = step % 3 === 1 ? "/marks/new" : `/marks/${idOf(one.code)}/edit`;
      const region = regions.indexOf(one.region) + 1;
      await visitor.submit(path, {
        ...{ code: changed.code, sign: changed.sign, story: changed.story, state: changed.state },
        region_id: region > 0 ? String(region) : "",
      });
      if (step % 3 === 1) all.push(changed);
      else all[at] = changed;
    }
    const there = await project.rows<{ code: string }>("select code from mark");
    expect(there.map(({ code }) => code).sort()).toEqual(all.map(({ code }) => code).sort());
    await compare(all, "marks", 25);
    await server.stop();
  });

  it("go on when tables are made again, renamed and brought back", async () => {
    const rows = await project.rows<Mark & { name: string | null }>(
      "select m.code, m.sign, m.story, m.state, r.name from mark m left join region r on r.id = m.region_id",
    );
    const all = rows.map(({ name, ...row }) => {
      const { code, sign, story, state: worn } = row;
      return { code, sign: sign ?? "", story: story ?? "", state: worn ?? "", region: name ?? "" };
    });
    // Another name for the entity and a field, a field that is checked, a text less and one more.
    rewrite((before) =>
      before
        .replace("  Mark:\n", "  Brand:\n    was: Mark\n")
        .replace("sign: text", "tale: text ..200, was sign")
        .replace("code: text, required", "code: text ..30, required")
        .replace("story: long text", "story: long text ..400\n      extra: text"),
    );
    await run(["prepare"], ["migrate"], ["build"], ["changes", "--check"]);
    await open();
    await compare(all, "brands");
    await server.stop();
    await run(["rewind", "--yes"]);
    await run(["changes", "--json"]);
    const again = await project.rows<{ n: number }>("select count(*) as n from mark");
    expect(Number(again[0]?.n)).toBe(all.length);
    await run(["migrate"], ["changes", "--check"]);
    await open();
    await compare(all, "brands");
    await server.stop();
    // Without its index, a list is searched as before.
    rewrite((before) => before.replaceAll("    search: indexed\n", ""));
    await run(["prepare"], ["migrate"], ["build"], ["changes", "--check"]);
    await open();
    await compare(all, "brands");
    await server.stop();
  });
});

describe("an index of parts of words", () => {
  it("is what a search asks, and is missed when somebody takes it away", async () => {
    const folder = projectWith(indexed.replaceAll(/\n {4}seed: .*/g, "\n    seed: 60"));
    for (const command of ["prepare", "migrate", "seed", "build"])
      expect(await levadura([command], folder)).toMatchObject({ status: 0, err: "" });
    const file = join(folder, "records.db");
    const [mark] = rowsOf(file, "select code from mark where length(code) > 3 limit 1");
    const server = await running(["serve"], folder);
    const visitor = new Visitor(server.address);
    const search = `/marks?${new URLSearchParams({ search: String(mark?.code) })}`;
    expect((await visitor.get(search)).html).toContain(`>${mark?.code}<`);
    const words = "levadura_mark_words_index";
    const driver = new Driver(file);
    driver.exec(`insert into ${words} (${words}) values ('delete-all')`);
    expect((await visitor.get(search)).html).not.toContain(`>${mark?.code}</a>`);
    driver.exec("drop trigger mark_words_index__update");
    driver.close();
    const { status, out, err } = await levadura(["changes", "--check"], folder);
    expect([status, out + err]).toEqual([4, expect.stringContaining("mark_words_index is gone")]);
    await server.stop();
  });

  it("is refused where the database has none, and where there are no texts", async () => {
    const onMariadb = projectWith(indexed.replace("database: sqlite", "database: mariadb"));
    const refused = await levadura(["check"], onMariadb);
    expect(refused.status).toBe(1);
    expect(refused.err).toMatch(/MariaDB has no index of parts of words[\s\S]*leave `search` out/);
    const bare = projectWith(
      "levadura: 1\nentities:\n  Weight:\n    search: indexed\n    fields:\n      grams: integer\n",
    );
    expect((await levadura(["check"], bare)).err).toContain("`Weight` has no text whose words");
    const wrong = projectWith(indexed.replace("search: indexed", "search: quick"));
    expect((await levadura(["check"], wrong)).err).toContain("expected `indexed`");
  });
});
