import { writeFileSync } from "node:fs";
import { join } from "node:path";
import Driver from "libsql";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, modelOn, projectOn } from "../support/kinds.ts";
import { levadura, type Running, running } from "../support/program.ts";
import { textOf, Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app: {name: Weighings, database: sqlite}
entities:
  Scale: {fields: {name: "text, required, unique"}, seed: 5}
  Weighing:
    title: "{code}"
    fields:
      code: text, required
      state: choice full | half | empty | broken, required
      scale: one Scale
      weight: decimal 0..80, places 1
    seed: 400
`;

/** The same with rights: whoever isn't signed in sees 5 weighings of all. */
const withRights = model
  .replace("entities:", "users: {}\nentities:")
  .replace("Scale: {", "Scale: {rights: {visitors: see}, ")
  .replace('title: "{code}"', "$&\n    rights: {visitors: see where state = 'broken'}");

/** A box of the panel, or a bar of it, and what it says of the rows behind it. */
interface Said {
  where: string;
  about: number;
  words: string;
}

describe.each(kinds)(
  "the panel of a list of 190,000 rows over $kind",
  ({ kind, server: database }) => {
    const project = projectOn({ kind, server: database }, model);
    let server: Running;
    let visitor: Visitor;

    const write = async (statement: string) => {
      if (database) return database.rowsIn(project.url, statement);
      const driver = new Driver(join(project.folder, "records.db"));
      driver.exec(statement);
      driver.close();
    };

    beforeAll(async () => {
      for (const command of ["prepare", "migrate", "seed", "build"])
        expect((await levadura([command], project.folder)).status).toBe(0);
      const columns = "code, state, scale_id, weight, version, created_at, updated_at";
      await write("update weighing set state = 'half' where state = 'broken'");
      for (let twice = 0; twice < 9; twice++)
        await write(`insert into weighing (${columns}) select ${columns} from weighing`);
      // Numbers with gaps, and rows that are all together.
      await write("delete from weighing where id between 60000 and 70000");
      await write("update weighing set state = 'broken' where id between 100000 and 100004");
      server = await running(["serve"], project.folder);
      visitor = new Visitor(server.address);
    }, 120_000);
    afterAll(async () => {
      await server.stop();
      await project.remove();
    });

    const count = async (where: string) => {
      const [found] = await project.rows<{ n: number }>(
        `select count(*) as n from weighing where ${where}`,
      );
      return Number(found?.n);
    };

    const panel = async (query: string) => {
      const { html } = await visitor.get(`/weighings/filter?${query}`);
      const boxes = [
        ...html.matchAll(
          /name="(\w+)(\.blank)?" value="([^"]*)"[^>]*\/?>\s*<label[^>]*>[^<]*<span class="count">([^<]*)</g,
        ),
      ].map(([, field, blank, value, words = ""]) => ({
        where: blank ? `${field} is null` : `${field} = '${value}'`,
        words: words.replace("&lt;", "<"),
      }));
      const bars = [
        ...html.matchAll(
          /<a href="[^"]*weight\.from=([\d.]+)&amp;weight\.to=([\d.]+)" aria-label="[^"]*: ([^"]*)"/g,
        ),
      ].map(([, from, to, words = ""]) => ({
        where: `weight >= ${from} and weight <= ${to}`,
        words,
      }));
      const said: Said[] = [...boxes, ...bars].map(({ where, words }) => ({
        where,
        words,
        about: Number(words.replace(/[^\d]/g, "")),
      }));
      return { html, said };
    };

    it("estimates what is behind each value, and counts all where somebody asks", async () => {
      for (const filter of ["", "weight.from=20"]) {
        const { html, said } = await panel(filter);
        expect(textOf(html)).toContain("Numbers with ≈ are estimates from a sample.");
        expect(said.length).toBeGreaterThan(12);
        for (const { where, about, words } of said) {
          const others = filter && !where.startsWith("weight") ? " and weight >= 20" : "";
          const real = await count(where + others);
          if (words.startsWith("≈")) {
            // Four standard deviations of what so many of a sample tell, and the rounding.
            const each = 204_800 / 10_000;
            const off = 4 * Math.sqrt(real * each) + 0.05 * real;
            expect([where, words, Math.abs(about - real) <= off]).toEqual([where, words, true]);
          } else expect([where, words, real < about]).toEqual([where, `< ${about}`, true]);
        }
        expect(said.find(({ where }) => where === "state = 'broken'")?.words).toMatch(/^< \d+$/);
      }
      const { html, said } = await panel("count=all");
      expect(html).not.toContain("≈");
      for (const { where, words } of said)
        expect([where, words]).toEqual([where, (await count(where)).toLocaleString("en")]);
    });

    it("counts one by one what isn't much, wherever it is", async () => {
      const { html, said } = await panel("state=broken");
      const whole = said.filter(({ where }) => !where.startsWith("state"));
      expect(
        whole.reduce((sum, { where, about }) => sum + (where.startsWith("scale") ? about : 0), 0),
      ).toBe(5);
      for (const { where, words } of whole)
        expect([where, words]).toEqual([
          where,
          String(await count(`${where} and state = 'broken'`)),
        ]);
      expect(html).toContain("≈");
    });

    it("counts one by one what somebody may see of it, where that is little", async () => {
      await server.stop();
      writeFileSync(join(project.folder, "model.yaml"), modelOn({ kind }, withRights));
      for (const command of ["prepare", "migrate", "build"])
        expect((await levadura([command], project.folder)).status).toBe(0);
      server = await running(["serve"], project.folder);
      visitor = new Visitor(server.address);
      expect(textOf((await visitor.get("/weighings")).html)).toContain("5 weighings");
      for (const filter of ["", "weight.from=20"]) {
        const { html, said } = await panel(filter);
        expect(html).not.toContain("≈");
        expect(said.find((one) => one.where === "state = 'full'")?.words ?? "0").toBe("0");
        for (const { where, words } of said) {
          const others = filter && !where.startsWith("weight") ? " and weight >= 20" : "";
          const seen = await count(`${where}${others} and state = 'broken'`);
          expect([filter, where, words]).toEqual([filter, where, String(seen)]);
        }
      }
    });
  },
);
