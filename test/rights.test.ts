import { symlinkSync } from "node:fs";
import { join } from "node:path";
import Papa from "papaparse";
import { expect, it } from "vitest";
import type { Person } from "../kit/access/person.ts";
import type { Row } from "../kit/formula/evaluate.ts";
import { kinds, modelOn, projectOn, type TestProject } from "./support/kinds.ts";
import { levadura, repository } from "./support/program.ts";
import {
  accessOf,
  applicationOf,
  modelWithRights,
  PlainRights,
  pathOf,
  peopleAsking,
  pricedParents,
  randomShape,
  type Shape,
} from "./support/rights.ts";

/** How many models are tried, with how many rights each; MODELS and RIGHTS set more. */
const models = Array.from({ length: Number(process.env.MODELS ?? 2) }, (_, at) => at + 1);
const rights = Array.from({ length: Number(process.env.RIGHTS ?? 2) }, (_, at) => at + 1);

/** How many records of an entity are opened one by one. */
const opened = 7;

it.each(kinds.flatMap((kind) => models.map((seed) => ({ ...kind, seed }))))(
  "random rights are those that a plain evaluation gives: $kind, $seed",
  async ({ seed, ...kind }) => {
    const shape = randomShape(seed);
    const text = modelWithRights(shape, 100 * seed);
    const project = projectOn(kind, text);
    const { folder } = project;
    for (const command of [["prepare"], ["migrate"], ["seed", "--seed", String(seed)], ["build"]]) {
      const { status, err } = await levadura(command, folder);
      expect(status, `${command}\n${err}\n${text}`).toBe(0);
    }
    symlinkSync(join(repository, "node_modules"), join(folder, "app/node_modules"));
    const app = await applicationOf(project);
    // The records whose price was changed, in whatever model.
    const changed = new Set<unknown>();
    try {
      for (const each of rights) {
        const other = modelWithRights(shape, 100 * seed + each);
        const access = await accessOf(project, modelOn(kind, other), String(each));
        await tryRights(shape, other, project, (person) => app.as(person, access), changed);
      }
    } finally {
      await app.close();
      await project.remove();
    }
  },
  240_000,
);

type Ask = ReturnType<Awaited<ReturnType<typeof applicationOf>>["as"]>;

/** Asks for the records of a model as everybody, and compares what comes back with what its rights allow. */
async function tryRights(
  shape: Shape,
  text: string,
  project: TestProject,
  as: (person: Person | undefined) => Ask,
  changed: Set<unknown>,
): Promise<void> {
  const tables: Record<string, Row[]> = {};
  for (const { name, references } of shape) {
    const table = name.toLowerCase();
    tables[table] = await project.rows<Row>(`select * from ${table} order by id`);
    for (const field of references.filter((each) => each.kind === "many"))
      tables[`${table}_${field.name}`] = await project.rows<Row>(
        `select * from ${table}_${field.name}`,
      );
  }
  const plain = new PlainRights(text, tables);
  for (const person of peopleAsking) {
    const ask = as(person);
    for (const { name: entity } of shape) {
      const path = pathOf(entity);
      const rows = tables[entity.toLowerCase()] ?? [];
      const seen = rows
        .filter((row) => plain.allows(person, "see", entity, row))
        .map(({ id }) => Number(id));
      const said = `${person?.name ?? "nobody"} ${path}`;
      const listed = new Set<number>();
      for (let page = 1; page < 4; page++) {
        const { html } = await ask(`${path}?page=${page}`);
        for (const [, id] of html.matchAll(new RegExp(`href="${path}/(\\d+)(?:-[^"/?]*)?"`, "g")))
          listed.add(Number(id));
      }
      expect(
        [...listed].sort((a, b) => a - b),
        `${said}\n${text}`,
      ).toEqual(seen.sort((a, b) => a - b));
      const exported = await ask(`${path}/export/csv`);
      if (plain.may(person, "export", entity)) {
        const lines = Papa.parse<{ Name: string }>(exported.html.replace(/^\ufeff/, ""), {
          header: true,
          skipEmptyLines: true,
        });
        const allowed = rows.filter((row) => plain.allows(person, "export", entity, row));
        expect(lines.data.map(({ Name }) => Name).sort(), `${said}\n${text}`).toEqual(
          allowed.map(({ name }) => String(name)).sort(),
        );
      } else {
        const refused = plain.may(person, "see", entity) ? 403 : 404;
        expect([said, exported.status]).toEqual([said, person ? refused : 302]);
      }
      for (const action of ["change", "delete"] as const) {
        // Of many at once, those are changed with which each may be.
        const { status, html } = await ask(`${path}/bulk/${action}`);
        const [, count] = /<h1>[A-Z][a-z]+ ([\d,]+) /.exec(html) ?? [];
        const allowed = rows.filter((row) => plain.allows(person, action, entity, row)).length;
        const refused = plain.may(person, "see", entity) ? 403 : 404;
        expect([said, action, status, Number(count ?? -1)], text).toEqual(
          plain.may(person, action, entity)
            ? [said, action, 200, allowed]
            : [said, action, person ? refused : 302, -1],
        );
      }
      for (const row of rows.slice(0, opened)) {
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
          expect([said, row.id, action, found], text).toEqual([said, row.id, action, expected]);
          if (action !== "see" || found !== 200) continue;
          // The page leads to what may be done with its record, and to nothing else.
          const { html } = await ask(next ?? `${path}/${row.id}`);
          for (const other of shape) {
            const related = relatedIn(html, pathOf(other.name));
            const wanted = relatedTo(plain, tables, person, { entity, row, other });
            if (wanted.length <= 25)
              expect([said, row.id, other.name, related], text).toEqual([
                said,
                row.id,
                other.name,
                wanted,
              ]);
          }
          const links = (["change", "delete", "history"] as const).filter((each) =>
            plain.allows(person, each, entity, row),
          );
          const ends = { change: "edit", delete: "delete", history: "history" };
          const shown = links.filter((each) => html.includes(`/${ends[each]}">`));
          const all = html.match(/class="btn[^>]*href="[^"]*\/(?:edit|delete|history)"/g) ?? [];
          expect([said, row.id, shown, all.length], html).toEqual([
            said,
            row.id,
            links,
            links.length,
          ]);
        }
      }
    }
  }
  await tryFields(plain, shape, tables, as, project, changed);
}

/** The records of an entity in the lists of related records on a page. */
function relatedIn(html: string, path: string): number[] {
  const sections = html.match(/<section class="related"[^>]*>.*?<\/table>/gs) ?? [];
  const found = sections.flatMap((section) => [
    ...section.matchAll(
      new RegExp(
        `<tr>(?:<td class="opens">(?:(?!</td>).)*</td>)?<td><a href="${path}/(\\d+)(?:-[^"/?]*)?"`,
        "g",
      ),
    ),
  ]);
  return [...new Set(found.map(([, id]) => Number(id)))].sort((a, b) => a - b);
}

/** The records of another entity that a person sees to have a record in one of their fields. */
function relatedTo(
  plain: PlainRights,
  tables: Readonly<Record<string, readonly Row[]>>,
  person: Person | undefined,
  { entity, row, other }: { entity: string; row: Row; other: Shape[number] },
): number[] {
  const table = other.name.toLowerCase();
  const has = (each: Row) =>
    other.references
      .filter(
        ({ to, name }) => to === entity && plain.allowsField(person, "see", other.name, each, name),
      )
      .some(({ name, kind }) =>
        kind === "many"
          ? (tables[`${table}_${name}`] ?? []).some(
              (link) =>
                link[`${table}_id`] === each.id && link[`${entity.toLowerCase()}_id`] === row.id,
            )
          : each[`${name}_id`] === row.id,
      );
  return (tables[table] ?? [])
    .filter((each) => plain.allows(person, "see", other.name, each) && has(each))
    .map(({ id }) => Number(id))
    .sort((a, b) => a - b);
}

/** Prices that a person may not see or change: on pages and forms, in histories, orders, sums and saves. */
async function tryFields(
  plain: PlainRights,
  shape: Shape,
  tables: Readonly<Record<string, readonly Row[]>>,
  as: (person: Person | undefined) => Ask,
  { rows: read }: TestProject,
  changed: Set<unknown>,
) {
  const entity = shape.find(({ priced }) => priced)?.name ?? "";
  const table = entity.toLowerCase();
  const path = pathOf(entity);
  const rows = tables[table] ?? [];
  for (const person of peopleAsking) {
    const ask = as(person);
    const said = `${person?.name ?? "nobody"} ${path}`;
    const sees = (row: Row) => plain.allowsField(person, "see", entity, row, "price");
    for (const row of rows.slice(0, opened)) {
      if (!plain.allows(person, "see", entity, row)) continue;
      const { next } = await ask(`${path}/${row.id}`);
      const { html } = await ask(next ?? "");
      const price = sees(row) ? Number(row.price).toLocaleString("en") : "";
      const fact = plain.knowsField(person, entity, "price") ? price : undefined;
      expect([said, row.id, shownIn(html, "Price")]).toEqual([said, row.id, fact]);
      if (plain.allows(person, "history", entity, row)) {
        const { html: history } = await ask(`${path}/${row.id}/history`);
        const told = history.includes("Price:");
        expect([said, row.id, told]).toEqual([said, row.id, sees(row) && changed.has(row.id)]);
      }
      const doubled = fact && (2 * Number(row.price)).toLocaleString("en");
      expect([said, row.id, shownIn(html, "Double")]).toEqual([said, row.id, doubled ?? fact]);
      if (!plain.allows(person, "change", entity, row)) continue;
      const form = await ask(`${path}/${row.id}/edit`);
      const changes = plain.allowsField(person, "change", entity, row, "price");
      expect([said, row.id, form.html.includes('name="price"')]).toEqual([said, row.id, changes]);
      // Whoever sends what the form doesn't ask for changes nothing.
      const wanted = row.price === 9998 ? 9997 : 9998;
      const body = sentWith(form.html, { price: String(wanted) });
      const sent = await ask(`${path}/${row.id}/edit`, body);
      expect([said, row.id, sent.status], sent.html).toEqual([said, row.id, changes ? 303 : 422]);
      const [now] = await read<Row>(`select price from ${table} where id = ${row.id}`);
      expect([said, row.id, Number(now?.price)]).toEqual([
        said,
        row.id,
        changes ? wanted : row.price,
      ]);
      if (!changes) {
        body.delete("price");
        const saved = await ask(`${path}/${row.id}/edit`, body);
        expect([said, row.id, saved.status], saved.html).toEqual([said, row.id, 303]);
        const [after] = await read<Row>(`select * from ${table} where id = ${row.id}`);
        for (const name of Object.keys(row).filter((each) => !/^(version|updated_at)$/.test(each)))
          expect([said, name, after?.[name]]).toEqual([said, name, row[name]]);
      }
      if (changes) changed.add(row.id);
      (row as Record<string, unknown>).price = Number(now?.price);
    }
    for (const { parent, by } of pricedParents(shape)) {
      for (const each of (tables[parent.toLowerCase()] ?? []).slice(0, opened)) {
        if (!plain.allows(person, "see", parent, each)) continue;
        const { next } = await ask(`${pathOf(parent)}/${each.id}`);
        const { html } = await ask(next ?? "");
        const worth = rows
          .filter((row) => row[`${by}_id`] === each.id && sees(row))
          .filter((row) => plain.allowsField(person, "see", entity, row, by))
          .reduce((sum, { price }) => sum + Number(price), 0);
        const shown = shownIn(html, "Worth");
        if (shown !== undefined) expect([said, shown]).toEqual([said, worth.toLocaleString("en")]);
      }
    }
    // A filter finds nothing out about prices that somebody doesn't see.
    const inSight = rows.filter((row) => plain.allows(person, "see", entity, row));
    const filtered = await ask(`${path}?price.from=1&size=200`);
    const found = [
      ...filtered.html.matchAll(new RegExp(`href="${path}/(\\d+)(?:-[^"/?]*)?"`, "g")),
    ];
    expect([said, [...new Set(found.map(([, id]) => Number(id)))].sort((a, b) => a - b)]).toEqual([
      said,
      inSight
        .filter((row) => sees(row) || !plain.knowsField(person, entity, "price"))
        .map(({ id }) => id),
    ]);
    if (!plain.knowsField(person, entity, "price")) continue;
    // Rows whose value is hidden all come before the others, by number.
    const seen = rows.filter((row) => plain.allows(person, "see", entity, row));
    const order = (row: Row) => (sees(row) ? Number(row.price) : 0);
    const sorted = [...seen].sort((a, b) => order(a) - order(b) || Number(a.id) - Number(b.id));
    const { html } = await ask(`${path}?sort=price`);
    const listed = [...html.matchAll(new RegExp(`href="${path}/(\\d+)(?:-[^"/?]*)?"`, "g"))].map(
      ([, id]) => Number(id),
    );
    expect([said, [...new Set(listed)]]).toEqual([said, sorted.slice(0, 25).map(({ id }) => id)]);
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
