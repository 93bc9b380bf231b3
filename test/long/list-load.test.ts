import { execFileSync } from "node:child_process";
import { describe, expect, it } from "vitest";
import { projectOn } from "../support/kinds.ts";
import { Chance } from "../support/pairs.ts";
import { levadura, type Running, running } from "../support/program.ts";
import { answers, mariadb, postgres } from "../support/servers.ts";
import { hiddenInputs, Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite}
entities:
  Apiary: {title: "{name}", fields: {name: "text, required"}, seed: 20}
  Harvest:
    title: "{code}"
    sort: day descending
    archive: yes
    tabs: sort
    fields:
      code: text, required
      apiary: one Apiary
      sort: choice blossom | forest | heather
      weight: integer 0..100000000, required
      day: date 2024-01-01..2026-12-31
    seed: 2000
`;

const databases = [
  { kind: "sqlite", server: undefined, processes: 1, there: true },
  { kind: "postgres", server: postgres, processes: 2, there: await answers(postgres) },
  { kind: "mariadb", server: mariadb, processes: 1, there: await answers(mariadb) },
];

/** How many requests there are, and how many at a time. */
const requests = Number(process.env.REQUESTS ?? 2500);
const clients = 50;

/** The memory of an application that `serve` started, in KB. */
function memoryOf({ child }: Running): number {
  const asked = ["-o", "rss=,args=", "--ppid", String(child.pid)];
  const children = execFileSync("ps", asked, { encoding: "utf8" }).split("\n");
  return Number.parseInt(children.find((line) => line.includes("main.mjs")) ?? "", 10);
}

const reads = [
  "/harvests",
  "/harvests?page=40",
  "/harvests?sort=-weight&sort.=forest&totals=yes",
  "/harvests?search=12&size=100",
  "/harvests?group=sort&archived=all",
  "/harvests?layout=board",
  "/harvests/filter?apiary_id=3",
  "/harvests/grid",
  "/harvests/export/csv?sort.=heather",
  "/-/find?words=har",
];

describe.each(databases)("lists over $kind", ({ kind, server, processes, there }) => {
  it.skipIf(!there)(
    "are read and changed by 50 at once, with nothing lost and memory flat",
    async () => {
      const project = projectOn({ kind, server }, model);
      const started: Running[] = [];
      try {
        for (const command of ["prepare", "migrate", "seed", "build"])
          expect(await levadura([command], project.folder)).toMatchObject({ status: 0 });
        for (let at = 0; at < processes; at++)
          started.push(await running(["serve"], project.folder));
        const sum = async () => {
          const [row] = await project.rows<{ total: number }>(
            "select sum(weight) as total from harvest",
          );
          return Number(row?.total);
        };
        const before = await sum();
        const odd = new Map<string, number>();
        const early: number[] = [];
        let asked = 0;
        let told = 0;
        // By record and weight: two who make the same change at once are both told yes.
        const changed = new Set<string>();
        /** One step of a client: most read a list; some add a record, or make one heavier. */
        const step = async (visitor: Visitor, chance: Chance) => {
          if (chance.happens(80)) {
            const path = chance.of(reads);
            const { status } = await visitor.get(path);
            if (status !== 200) odd.set(`${path} ${status}`, 1);
            return 1;
          }
          const weight = 1 + chance.below(1000);
          if (chance.happens(30)) {
            const { status, html } = await visitor.submit("/harvests/new", {
              ...{ code: `N-${weight}`, weight: String(weight), sort: "forest" },
            });
            if (status === 200) told += weight;
            else odd.set(`new ${status} ${html.slice(-200)}`, 1);
            return 3;
          }
          // Few records, so that two often want the same one.
          const path = `/harvests/${1 + chance.below(15)}/edit`;
          const { html } = await visitor.get(path);
          const now = Number(
            /name="weight"[^>]*value="([\d,.]+)"/.exec(html)?.[1]?.replace(/\D/g, ""),
          );
          const code = /name="code"[^>]*value="([^"]*)"/.exec(html)?.[1] ?? "";
          const sent = { ...hiddenInputs(html), code, weight: String(now + 1), sort: "" };
          const { status } = await visitor.post(path, sent);
          if (status === 200) changed.add(`${path} ${now + 1}`);
          else if (status !== 409) odd.set(`${path} ${status}`, 1);
          return 2;
        };
        const work = Array.from({ length: clients }, async (_, at) => {
          const one = started[at % started.length] as Running;
          const visitor = new Visitor(one.address);
          const chance = new Chance(at + 1);
          while (asked < requests) {
            // Added behind the wait, during which the others add theirs.
            const sent = await step(visitor, chance);
            asked += sent;
            if (asked > requests * 0.3 && early.length === 0) early.push(...started.map(memoryOf));
          }
        });
        await Promise.all(work);
        const late = started.map(memoryOf);
        console.log(`${kind}: ${asked} requests, ${changed.size} changes, ${early} to ${late} KB`);
        expect(Object.fromEntries(odd)).toEqual({});
        expect(changed.size).toBeGreaterThan(100);
        expect(await sum()).toBe(before + told + changed.size);
        for (const [at, kilobytes] of late.entries())
          expect(kilobytes / (early[at] ?? 0)).toBeLessThan(1.6);
      } finally {
        for (const one of started) expect(await one.stop()).toBe(0);
        await project.remove();
      }
    },
  );
});
