import { describe, expect, it } from "vitest";
import { levadura, projectWith, running } from "./support/program.ts";
import { textOf, Visitor } from "./support/visitor.ts";

const entities = `entities:
  Apiary: {plural: Apiaries, fields: {name: "text, required"}}
  Hive: {fields: {code: "text, required"}}
  Queen: {fields: {mark: "text, required"}, rights: {office: everything}}
  Visit: {fields: {note: "text, required"}}
users: {groups: {office: Office, guests: Guests}, rights: {everyone: see}}
`;

describe("the menu of the model", () => {
  it("has groups, links, and only what the person may see, in a look of its own", async () => {
    const menu = `menu:\n  - Hive\n  - "Bees <b>": [Queen]\n  - Places: [Apiary]\n  - Handbook: https://bees.example/a?b=1&c="2"\n`;
    const folder = projectWith(`levadura: 1\napp: {look: moss}\n${menu}${entities}`);
    const app = await running(["rise"], folder);
    const menuOf = async (group: string) => {
      const { html } = await (await Visitor.of(app.address, group)).get("/hives");
      return { html, menu: /<nav class="side"[^>]*>([\s\S]*?)<\/nav>/.exec(html)?.[1] ?? "" };
    };
    const office = await menuOf("office");
    expect(office.html).toContain('data-look="moss"');
    expect(textOf(office.menu).replace(/\s+/g, " ").trim()).toBe(
      "Hives Bees <b> Queens Places Apiaries Handbook",
    );
    expect(office.menu).toContain('href="https://bees.example/a?b=1&amp;c=&quot;2&quot;"');
    expect(office.menu).toContain('<a href="/hives" aria-current="page">');
    const guests = await menuOf("guests");
    expect(textOf(guests.menu)).not.toContain("Bees");
    expect((await (await Visitor.of(app.address, "office")).get("/visits")).status).toBe(200);
    await app.stop();
  });

  it("has pictures, and its headings in the language of the reader", async () => {
    const labels = "labels: {es: {menu Bees: Abejas, menu Handbook: Manual}}\n";
    const menu = 'menu: [{Bees: [Hive]}, {Handbook: "/hives/1"}, Visit]\n';
    const pictured = entities
      .replace("Hive: {", "Hive: {icon: hexagon, ")
      .replace(/users:.*\n/, "");
    const folder = projectWith(
      `levadura: 1\napp: {language: es}\n${menu}${labels}${pictured.replace(/, rights: {[^}]*}/, "")}`,
    );
    const app = await running(["rise"], folder);
    try {
      const visitor = new Visitor(app.address);
      const { html } = await visitor.get("/hives");
      const [side = ""] = /<nav class="side"[^>]*>[\s\S]*?<\/nav>/.exec(html) ?? [];
      expect(textOf(side).trim()).toBe("Abejas Hives Manual Visits");
      expect(side.match(/data-icon="\w+"/g)).toEqual(['data-icon="hive"']);
      const { content } = await visitor.bytes("/-/assets/app.css");
      expect(content.toString()).toMatch(/\.menu \[data-icon=.?hive.?\][^}]*data:image\/svg/);
    } finally {
      await app.stop();
    }
  });

  it("is pointed at where it is wrong", async () => {
    for (const [menu, why] of [
      ["menu: Hive", "a menu is a list"],
      ["menu: [Hiv]", "there is no entity `Hiv`"],
      ["menu: [Hive, {Bees: [Hive]}]", "`Hive` appears here twice"],
      [
        "menu: [{Handbook: 'javascript:alert(1)'}]",
        "a group is a list of entities, and a link a web address",
      ],
      ["menu: [{Handbook: '//bees.example'}]", "a link a web address"],
      ["menu: [[Hive]]", "an entity, a group or a link was expected"],
      ["app: {look: neon}", "expected honey, moss, slate, plum"],
      ["menu: [Hive]\nlabels: {es: {menu Bees: Abejas}}", "there is no `Bees` in the menu"],
    ]) {
      const { status, err } = await levadura(
        ["check"],
        projectWith(`levadura: 1\n${menu}\n${entities}`),
      );
      expect([menu, status, err]).toEqual([menu, 1, expect.stringContaining(why as string)]);
    }
    for (const [icon, why] of [
      ["hexagonn", "there is no icon `hexagonn`"],
      ["../../../package", "there is no icon"],
    ]) {
      const text = `levadura: 1\n${entities.replace("Hive: {", `Hive: {icon: ${icon}, `)}`;
      const { status, err } = await levadura(["check"], projectWith(text));
      expect([icon, status, err]).toEqual([icon, 1, expect.stringContaining(why as string)]);
    }
  });
});
