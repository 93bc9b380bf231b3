import { symlinkSync } from "node:fs";
import { join } from "node:path";
import { expect, it } from "vitest";
import type { Row } from "../src/core/formula/evaluate.ts";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { levadura, repository } from "./support/program.ts";
import {
  applicationOf,
  entityPaths,
  modelWithRights,
  PlainRights,
  peopleAsking,
} from "./support/rights.ts";

/** How many models of rights are tried; RIGHTS sets more. */
const seeds = Array.from({ length: Number(process.env.RIGHTS ?? 1) }, (_, at) => at + 1);

it.each(kinds.flatMap((kind) => seeds.map((seed) => ({ ...kind, seed }))))(
  "random rights are those that a plain evaluation gives: $kind, $seed",
  async ({ seed, ...kind }) => {
    const text = modelWithRights(seed);
    const project = projectOn(kind, text);
    const { folder } = project;
    for (const command of [["prepare"], ["migrate"], ["seed", "--seed", String(seed)], ["build"]])
      expect((await levadura(command, folder)).status, `${command}\n${text}`).toBe(0);
    symlinkSync(join(repository, "node_modules"), join(folder, "app/node_modules"));
    const tables: Record<string, Row[]> = {};
    for (const table of ["keeper", "apiary", "hive", "inspection", "hive_keepers"])
      tables[table] = await project.rows<Row>(`select * from ${table}`);
    const plain = new PlainRights(text, tables);
    const app = await applicationOf(project);
    let allowed = 0;
    let asked = 0;
    try {
      for (const person of peopleAsking) {
        const ask = app.as(person);
        for (const [entity, path] of Object.entries(entityPaths)) {
          const rows = tables[entity.toLowerCase()] ?? [];
          const seen = rows
            .filter((row) => plain.allows(person, "see", entity, row))
            .map(({ id }) => Number(id));
          const said = `${person?.name ?? "nobody"} ${path}`;
          const listed = new Set<number>();
          for (let page = 1; page < 4; page++) {
            const { html } = await ask(`${path}?page=${page}`);
            for (const [, id] of html.matchAll(
              new RegExp(`href="${path}/(\\d+)(?:-[^"/?]*)?"`, "g"),
            ))
              listed.add(Number(id));
          }
          expect(
            [...listed].sort((a, b) => a - b),
            said,
          ).toEqual(seen.sort((a, b) => a - b));
          for (const row of rows) {
            for (const [action, end] of [
              ["see", ""],
              ["change", "/edit"],
              ["delete", "/delete"],
              ["history", "/history"],
            ] as const) {
              // Nobody in particular is led to the sign-in.
              const hidden = person ? 404 : 302;
              const refused = person ? 403 : 302;
              const sees = plain.may(person, "see", entity);
              const expected = !plain.may(person, action, entity)
                ? sees && person
                  ? refused
                  : hidden
                : !seen.includes(Number(row.id))
                  ? hidden
                  : plain.allows(person, action, entity, row)
                    ? 200
                    : refused;
              const { status, next } = await ask(`${path}/${row.id}${end}`);
              // The address of a record has its title in it, which its number leads to.
              const found = status === 302 && next?.startsWith(`${path}/${row.id}-`) ? 200 : status;
              expect([said, row.id, action, found]).toEqual([said, row.id, action, expected]);
              asked++;
              if (action === "see" && found === 200) {
                // The page leads to what may be done with its record, and to nothing else.
                const { html } = await ask(next ?? `${path}/${row.id}`);
                const links = (["change", "delete", "history"] as const).filter((each) =>
                  plain.allows(person, each, entity, row),
                );
                const ends = { change: "edit", delete: "delete", history: "history" };
                const shown = links.filter((each) => html.includes(`/${ends[each]}">`));
                const all =
                  html.match(/class="btn[^>]*href="[^"]*\/(?:edit|delete|history)"/g) ?? [];
                expect([said, row.id, shown, all.length], html).toEqual([
                  said,
                  row.id,
                  links,
                  links.length,
                ]);
              }
              if (found === 200) allowed++;
            }
          }
        }
      }
      await tryFields(plain, tables.hive ?? [], tables.apiary ?? [], app, project);
    } finally {
      await app.close();
      await project.remove();
    }
    expect([asked > 1000, allowed > 100, allowed < asked]).toEqual([true, true, true]);
  },
  120_000,
);

/** Fields that a person may not see or change, of some hives: on their pages and forms, in orders, sums and saves. */
async function tryFields(
  plain: PlainRights,
  hives: readonly Row[],
  apiaries: readonly Row[],
  app: Awaited<ReturnType<typeof applicationOf>>,
  { rows: read }: TestProject,
) {
  let wanted = 5555;
  const changed = new Set<Row>();
  for (const person of peopleAsking) {
    const ask = app.as(person);
    const said = person?.name ?? "nobody";
    const sees = (hive: Row) => plain.allowsField(person, "see", "Hive", hive, "price");
    for (const hive of hives.slice(0, 12)) {
      if (!plain.allows(person, "see", "Hive", hive)) continue;
      const { next } = await ask(`/hives/${hive.id}`);
      const { html } = await ask(next ?? "");
      const price = sees(hive) ? String(hive.price).replace(/^(\d)/, "$1,") : "";
      const fact = plain.knowsField(person, "Hive", "price") ? price : undefined;
      expect([said, hive.id, shownIn(html, "Price")]).toEqual([said, hive.id, fact]);
      if (plain.allows(person, "history", "Hive", hive)) {
        const { html: history } = await ask(`/hives/${hive.id}/history`);
        const told = history.includes("Price:");
        expect([said, hive.id, told]).toEqual([said, hive.id, sees(hive) && changed.has(hive)]);
      }
      const doubled = fact && (2 * Number(hive.price)).toLocaleString("en");
      expect([said, hive.id, shownIn(html, "Double")]).toEqual([said, hive.id, doubled ?? fact]);
      if (!plain.allows(person, "change", "Hive", hive)) continue;
      const form = await ask(`/hives/${hive.id}/edit`);
      const changes = plain.allowsField(person, "change", "Hive", hive, "price");
      expect([said, hive.id, form.html.includes('name="price"')]).toEqual([said, hive.id, changes]);
      // Whoever sends what the form doesn't ask for changes nothing.
      wanted++;
      const body = sentWith(form.html, { price: String(wanted) });
      const sent = await ask(`/hives/${hive.id}/edit`, body);
      expect([said, hive.id, sent.status], sent.html).toEqual([said, hive.id, changes ? 303 : 422]);
      const [now] = await read<Row>(`select price from hive where id = ${hive.id}`);
      expect([said, hive.id, Number(now?.price)]).toEqual([
        said,
        hive.id,
        changes ? wanted : hive.price,
      ]);
      if (!changes) {
        body.delete("price");
        const saved = await ask(`/hives/${hive.id}/edit`, body);
        expect([said, hive.id, saved.status]).toEqual([said, hive.id, 303]);
        const [after] = await read<Row>(`select * from hive where id = ${hive.id}`);
        for (const name of ["price", "frames", "apiary_id"])
          expect([said, name, after?.[name]]).toEqual([said, name, hive[name]]);
      }
      if (changes) changed.add(hive);
      (hive as Record<string, unknown>).price = Number(now?.price);
    }
    for (const apiary of apiaries) {
      if (!plain.allows(person, "see", "Apiary", apiary)) continue;
      const { next } = await ask(`/apiaries/${apiary.id}`);
      const { html } = await ask(next ?? "");
      const worth = hives
        .filter((hive) => hive.apiary_id === apiary.id && sees(hive))
        .reduce((sum, { price }) => sum + Number(price), 0);
      const shown = shownIn(html, "Worth");
      if (shown !== undefined) expect([said, shown]).toEqual([said, worth.toLocaleString("en")]);
    }
    // Rows whose value is hidden all come before the others, by number.
    const seen = hives.filter((hive) => plain.allows(person, "see", "Hive", hive));
    const order = (hive: Row) => (sees(hive) ? Number(hive.price) : 0);
    const sorted = [...seen].sort((a, b) => order(a) - order(b) || Number(a.id) - Number(b.id));
    const { html } = await ask("/hives?sort=price");
    const listed = [...html.matchAll(/href="\/hives\/(\d+)(?:-[^"/?]*)?"/g)].map(([, id]) =>
      Number(id),
    );
    expect([said, listed]).toEqual([said, sorted.slice(0, 25).map(({ id }) => id)]);
  }
}

/** The text beside a label on the page of a record; undefined where it has no such label. */
function shownIn(html: string, label: string): string | undefined {
  return new RegExp(`<dt>${label}</dt><dd>(.*?)</dd>`, "s")
    .exec(html)?.[1]
    ?.replace(/<[^>]*>/g, "");
}

/** What a browser sends of a form, with some more. */
function sentWith(html: string, more: Readonly<Record<string, string>>): URLSearchParams {
  const sent = new URLSearchParams();
  for (const [tag] of html.matchAll(/<input [^>]*>/g)) {
    const [, name] = /name="([^"]*)"/.exec(tag) ?? [];
    const [, value = ""] = /value="([^"]*)"/.exec(tag) ?? [];
    if (name && (!tag.includes('type="checkbox"') || / checked/.test(tag)))
      sent.append(name, value);
  }
  for (const [, name = "", options = ""] of html.matchAll(
    /<select [^>]*name="([^"]*)"[^>]*>(.*?)<\/select>/gs,
  )) {
    const [, chosen = ""] = /value="(\d*)" selected/.exec(options) ?? [];
    sent.append(name, chosen);
  }
  for (const [name, value] of Object.entries(more)) sent.set(name, value);
  return sent;
}
