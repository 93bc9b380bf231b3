import { describe, expect, it } from "vitest";
import { projectOn } from "../support/kinds.ts";
import { mixedLoad } from "../support/load.ts";
import { levadura, running } from "../support/program.ts";
import { answers, mariadb, postgres } from "../support/servers.ts";
import { Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text, required, unique
      keepers: many Keeper
  Keeper: {title: "{name}", fields: {name: "text, required"}}
`;

const databases = [
  { kind: "sqlite", server: undefined, there: true },
  { kind: "postgres", server: postgres, there: await answers(postgres) },
  { kind: "mariadb", server: mariadb, there: await answers(mariadb) },
];

describe.each(databases)("an application over $kind", ({ kind, server, there }) => {
  it.skipIf(!there)("serves 50 people at once, and has exactly what it acknowledged", async () => {
    const project = projectOn({ kind, server }, model);
    try {
      for (const command of ["prepare", "migrate", "build"]) {
        expect(await levadura([command], project.folder)).toMatchObject({ status: 0 });
      }
      const application = await running(["serve"], project.folder);
      const visitor = new Visitor(application.address);
      for (const name of ["Ana", "Bo"]) await visitor.post("/keepers/new", { name });
      const load = { clients: 50, milliseconds: 12_000 };
      const { requests, unexpected, saved } = await mixedLoad(application.address, load);
      console.log(`${kind}: ${requests} requests, ${saved.size} records`);
      expect(Object.fromEntries(unexpected)).toEqual({});
      expect(requests).toBeGreaterThan(500);
      expect(await application.stop()).toBe(0);
      const rows = await project.rows<{ code: string }>("select code from hive");
      expect(rows.map(({ code }) => code).sort()).toEqual([...saved].sort());
      const links = await project.rows("select 1 as one from hive_keepers");
      expect(links).toHaveLength(2 * saved.size);
    } finally {
      await project.remove();
    }
  });
});
