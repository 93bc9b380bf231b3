import { symlinkSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { expectSound } from "../support/generated.ts";
import {
  levadura,
  type Running,
  repository,
  running,
  temporaryFolder,
} from "../support/program.ts";
import { answers, databaseOfOnesOwn, mariadb, postgres } from "../support/servers.ts";
import { textOf, Visitor } from "../support/visitor.ts";

const there = (await answers(postgres)) && (await answers(mariadb));

const paths = [
  "/",
  "/apiaries",
  "/apiaries/1",
  "/hives?sort=-apiary&page=2",
  "/hives/3",
  "/hives/3/edit",
  "/hives/3/delete",
  "/keepers?search=AN",
  "/queens?sort=-marked",
  "/inspections?sort=hive",
  "/inspections/new?hive_id=2",
  "/treatments?sort=-begun",
  "/treatments/1",
  "/harvests?sort=-weight&page=2",
  "/equipment",
];

/** What the pages of a running demo say, without what tells of the moment and the machine. */
async function pagesOf({ address }: Running): Promise<Record<string, [number, string]>> {
  const visitor = new Visitor(address);
  await visitor.post("/-/sample", { group: "office" });
  const pages: Record<string, [number, string]> = {};
  for (const path of paths) {
    const { status, html } = await visitor.get(path);
    pages[path] = [status, textOf(html)];
  }
  return pages;
}

describe("the demo", () => {
  it.skipIf(!there)("has the same pages over each database", async () => {
    const folder = temporaryFolder();
    const shown: Record<string, [number, string]>[] = [];
    for (const kind of ["sqlite", "postgres", "mariadb"] as const) {
      const server = { sqlite: undefined, postgres, mariadb }[kind];
      const url = server ? databaseOfOnesOwn(server).url : "";
      const demo = await running(["demo", "--into", kind, "--database", kind], folder, {
        DATABASE_URL: url,
      });
      await demo.until("Watching");
      shown.push(await pagesOf(demo));
      expect(await demo.stop()).toBe(0);
      const again = await levadura(["changes", "--check"], join(folder, kind), {
        env: { DATABASE_URL: url },
      });
      expect([again.status, again.err]).toEqual([0, ""]);
      if (!server) continue;
      // Its code holds against the compiler and the linter, and its own tests pass on that server.
      const app = join(folder, kind, "app");
      symlinkSync(join(repository, "node_modules"), join(app, "node_modules"));
      expectSound(app, { DATABASE_URL: url });
    }
    const [first, ...others] = shown;
    for (const [path, [status]] of Object.entries(first ?? {}))
      expect([path, status]).toEqual([path, 200]);
    for (const other of others) expect(other).toEqual(first);
  });
});
