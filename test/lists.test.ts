import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn } from "./support/kinds.ts";
import { levadura, type Running, running } from "./support/program.ts";
import { Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite}
entities:
  Apiary:
    fields: {name: "text, required, unique"}
    seed: {fixed: [{name: Yarrow}, {name: álamo}, {name: Birch}, {name: alder}]}
  Kind:
    title: "{sort}"
    fields: {sort: "choice wood | Straw | log, required, unique"}
    seed: {fixed: [{sort: wood}, {sort: Straw}, {sort: log}]}
  Hive:
    title: "{code}"
    fields:
      code: text, required, unique
      apiary: one Apiary, required
      winter: one Apiary
      kind: one Kind
      frames: integer
      double: "= frames * 2"
    columns: [code, apiary, winter, kind, frames, double]
    sort: frames descending, code
`;

const hives = 110;

/** The rows of a hive's table: references are blank, or spread over what there is. */
const rowOf = (at: number) => ({
  code: `H-${String((at * 37) % hives).padStart(3, "0")}`,
  apiary: 1 + (at % 4),
  winter: at % 3 === 0 ? undefined : 1 + (at % 4),
  kind: at % 5 === 0 ? undefined : 1 + (at % 3),
  frames: at % 7 === 0 ? undefined : at % 11,
});

describe.each(kinds)("lists over $kind", (kind) => {
  const { folder, rows, remove } = projectOn(kind, model);
  let server: Running;
  let visitor: Visitor;

  beforeAll(async () => {
    for (const command of ["prepare", "migrate", "seed", "build"])
      expect((await levadura([command], folder)).status, command).toBe(0);
    server = await running(["serve"], folder);
    visitor = new Visitor(server.address);
    const before = await rows<{ id: number }>("select id from hive");
    for (const { id } of before) await visitor.submit(`/hives/${id}/delete`, { _parts: "0" });
    for (let at = 0; at < hives; at++) {
      const { code, apiary, winter, kind, frames } = rowOf(at);
      const saved = await visitor.submit("/hives/new", {
        code,
        apiary_id: String(apiary),
        winter_id: String(winter ?? ""),
        kind_id: String(kind ?? ""),
        frames: String(frames ?? ""),
      });
      expect(saved.status).toBe(200);
    }
  });
  afterAll(async () => {
    await server.stop();
    await remove();
  });

  /** The codes on all pages of a list, page by page. */
  async function codes(query: string): Promise<string[][]> {
    const pages: string[][] = [];
    for (let page = 1; page <= Math.ceil(hives / 25); page++) {
      const { status, html } = await visitor.get(`/hives?${query}&page=${page}`);
      expect([query, status]).toEqual([query, 200]);
      pages.push([...html.matchAll(/>(H-\d\d\d)</g)].map(([, code = ""]) => code));
    }
    return pages;
  }

  /** The codes on the pages of a list that its own links lead to, as they are far into a long one. */
  async function walked(start: string, rel: "next" | "prev"): Promise<string[][]> {
    const pages: string[][] = [];
    for (let path: string | undefined = start; path !== undefined; ) {
      const { html } = await visitor.get(path);
      pages.push([...html.matchAll(/>(H-\d\d\d)</g)].map(([, code = ""]) => code));
      expect(pages.length).toBeLessThan(10);
      path = new RegExp(`href="([^"]*)" rel="${rel}"`).exec(html)?.[1]?.replaceAll("&amp;", "&");
    }
    return pages;
  }

  const names = ["Yarrow", "álamo", "Birch", "alder"];
  const alphabet = ["álamo", "alder", "Birch", "Yarrow"];
  const place = (apiary: number | undefined) =>
    apiary === undefined ? -1 : alphabet.indexOf(names[apiary - 1] ?? "");
  const rank: Record<string, (at: number) => number> = {
    code: (at) => Number(rowOf(at).code.slice(2)),
    apiary: (at) => place(rowOf(at).apiary),
    winter: (at) => place(rowOf(at).winter),
    frames: (at) => rowOf(at).frames ?? -1,
    double: (at) => rowOf(at).frames ?? -1,
    kind: (at) => [-1, 2, 1, 0][rowOf(at).kind ?? 0] ?? 0,
  };

  it.each(Object.keys(rank))(
    "sorted by %s have each row once, in order, from either end",
    async (name) => {
      const of = new Map(
        Array.from({ length: hives }, (_, at) => [rowOf(at).code, rank[name]?.(at)]),
      );
      const [rising, falling] = [await codes(`sort=${name}`), await codes(`sort=-${name}`)];
      for (const pages of [rising, falling]) {
        expect(pages.map(({ length }) => length)).toEqual([25, 25, 25, 25, 10]);
        expect(new Set(pages.flat()).size).toBe(hives);
      }
      const ranks = rising.flat().map((code) => of.get(code) ?? 0);
      expect(ranks).toEqual([...ranks].sort((one, other) => one - other));
      expect(falling.flat()).toEqual(rising.flat().reverse());
      for (const [sort, whole] of [
        [name, rising],
        [`-${name}`, falling],
      ] as const) {
        const all = whole.flat();
        const { html } = await visitor.get(`/hives?sort=${sort}`);
        const ids = [...html.matchAll(/href="\/hives\/(\d+)-/g)].map(([, id]) => id);
        const ahead = await walked(`/hives?sort=${sort}&page=2&after=${ids[24]}`, "next");
        expect(ahead.flat()).toEqual(all.slice(25));
        const back = await walked(`/hives?sort=${sort}&before=end`, "prev");
        // The first page is whole, whatever the others left of it.
        expect(back.map(({ length }) => length)).toEqual([25, 25, 25, 25, 25]);
        expect([...new Set(back.reverse().flat())]).toEqual(all);
      }
    },
  );
});
