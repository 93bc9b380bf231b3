import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { levadura, type Running, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

/** Names in scripts of all kinds: with cases, without, from right to left, with marks, with letters that only change others. */
const scripts: [entity: string, plural: string, field: string, value: string][] = [
  ["Colmena", "Colmenas", "año", "Ñandú del café"],
  ["Улей", "Ульи", "имя", "Жёлтый улей"],
  ["Κυψέλη", "Κυψέλες", "όνομα", "Άνθος"],
  ["巣箱", "巣箱一覧", "名前", "みつばちカード"],
  ["データ", "データ", "データ", "データ ー"],
  ["벌통", "벌통", "이름", "꿀벌"],
  ["蜂箱", "蜂箱", "名称", "养蜂场"],
  ["خلية", "خلايا", "اسم", "نحلة"],
  ["כוורת", "כוורות", "שם", "דבורה"],
  ["छत्ता", "छत्ते", "नाम", "मधुमक्खी"],
  ["รัง", "รังผึ้ง", "ชื่อ", "น้ำผึ้ง"],
  ["სკა", "სკები", "სახელი", "თაფლი"],
  ["Kovan", "Kovanlar", "ılıman", "İSTANBUL ığdır"],
  ["Straße", "Straßen", "größe", "Weiß 🐝 <b>&amp;"],
];

const model = `levadura: 1
app: {name: 養蜂 Бджоли, database: sqlite}
entities:
${scripts
  .map(
    ([entity, plural, field]) => `  ${entity}:
    plural: ${plural}
    title: "{${field}}"
    fields:
      ${field}: text, required
      null: text
      kind: choice __proto__ | constructor | toString | "${field}", default __proto__
      other: many ${entity}`,
  )
  .join("\n")}
`;

describe.each(kinds)("names of any script, over $kind,", (kind) => {
  let project: TestProject;
  let server: Running;
  beforeAll(async () => {
    project = projectOn(kind, model);
    for (const command of ["prepare", "migrate", "build"]) {
      expect(await levadura([command], project.folder)).toMatchObject({ status: 0 });
    }
    server = await running(["serve"], project.folder);
  });
  afterAll(async () => {
    await server.stop();
    await project.remove();
  });

  it.each(scripts)("%s: its pages, titles and addresses work", async (_, plural, field, value) => {
    const visitor = new Visitor(server.address);
    const home = await visitor.get("/");
    const [, path = ""] = new RegExp(`href="([^"]+)">${plural}</a>`).exec(home.html) ?? [];
    expect((await visitor.get(path)).status).toBe(200);
    for (const kindOf of ["__proto__", "constructor", field]) {
      const saved = await visitor.submit(`${path}/new`, {
        [field]: value,
        null: "none",
        kind: kindOf,
      });
      expect([saved.status, visitor.trail.length]).toEqual([200, 2]);
      expect(textOf(saved.html)).toContain(value.replace("<b>&amp;", "<b>&amp;amp;").slice(0, 5));
      const [, id] = /\/(\d+)[^/]*$/.exec(saved.path) ?? [];
      // From any address that has its number, a record is one redirection away at most.
      for (const other of [
        `${path}/${id}`,
        `${path}/${id}-x`,
        saved.path,
        encodeURI(`${path}/${id}-ü`),
      ]) {
        expect((await visitor.get(other)).status).toBe(200);
        expect(visitor.trail.length).toBeLessThan(3);
      }
      const edited = await visitor.submit(`${saved.path}/edit`, {
        [field]: `${value} 2`,
        kind: kindOf,
      });
      expect(edited.status).toBe(200);
      expect(
        (await visitor.get(`${path}?search=${encodeURIComponent(value.slice(0, 3))}`)).html,
      ).toContain(`/${id}-`);
      const gone = await visitor.submit(`${edited.path}/delete`);
      expect([gone.status, textOf(gone.html)]).toEqual([200, expect.stringContaining("deleted")]);
    }
    expect((await visitor.submit(`${path}/new`, { [field]: value, kind: "valueOf" })).status).toBe(
      422,
    );
  });
});
