import { symlinkSync } from "node:fs";
import { join } from "node:path";
import { expect, it } from "vitest";
import type { Row } from "../src/core/formula/evaluate.ts";
import { kinds, projectOn } from "./support/kinds.ts";
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
                expect([said, row.id, shown, all.length]).toEqual([
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
    } finally {
      await app.close();
      await project.remove();
    }
    expect([asked > 1000, allowed > 100, allowed < asked]).toEqual([true, true, true]);
  },
  120_000,
);
