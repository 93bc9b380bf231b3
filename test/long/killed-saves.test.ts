import { execFileSync } from "node:child_process";
import { readdirSync, rmSync, statSync, utimesSync } from "node:fs";
import { basename, join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import sharp from "sharp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "../support/kinds.ts";
import { levadura, type Running, running, temporaryFolder } from "../support/program.ts";
import { hiddenInputs, Visitor } from "../support/visitor.ts";

const visits = 40;
const model = `levadura: 1
app: {name: Hive Book, language: en, database: sqlite}
users:
  groups: {office: Office}
  rights: {office: everything}
entities:
  Keeper:
    seed: 0
    fields: {name: "text, required, unique", badge: image}
  Visit:
    title: "{note}"
    seed: 0
    fields: {note: "text, required", keeper: "one Keeper, required"}
`;

describe.each(kinds)("an application that is killed over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let visitor: Visitor;
  const arriving = temporaryFolder(true);

  const start = async () => {
    app = await running(["rise"], project.folder, { TMPDIR: arriving });
    visitor = await Visitor.of(app.address, "office");
  };
  beforeAll(async () => {
    project = projectOn(kind, model);
    await start();
  }, 60_000);
  afterAll(async () => {
    await app.stop();
    await project.remove();
    rmSync(arriving, { recursive: true, force: true });
  });

  const rows = (statement: string) => project.rows<Record<string, unknown>>(statement);
  const add = async (path: string, fields: Record<string, string>) => {
    const form = await visitor.get(`/${path}/new`);
    const saved = await visitor.post(`/${path}/new`, { ...hiddenInputs(form.html), ...fields });
    const id = /\/(\d+)-/.exec(saved.path)?.[1];
    return id ?? expect.fail(saved.html);
  };
  /** Sends something, and ends the process of the application some milliseconds later; says whether it answered. */
  const killedAfter = async (milliseconds: number, send: () => Promise<{ status: number }>) => {
    const pid = execFileSync("pgrep", ["-P", String(app.child.pid), "node"], { encoding: "utf8" });
    const sent = send().then(
      ({ status }) => status === 200,
      () => false,
    );
    await sleep(milliseconds);
    process.kill(Number(pid), "SIGKILL");
    const answered = await sent;
    await app.stop();
    await start();
    return answered;
  };

  it("has merged two records or changed nothing, and merges them when asked again", async () => {
    const outcomes = new Set<string>();
    // The first tells how long a merge takes; the kills are spread over it.
    let takes = 0;
    for (let round = 0; round < 5; round++) {
      const [kept, gone] = [
        await add("keepers", { name: `Ana ${round}` }),
        await add("keepers", { name: `Ben ${round}` }),
      ];
      for (let visit = 0; visit < visits; visit++)
        await add("visits", { note: `${round}.${visit}`, keeper_id: gone });
      const path = `/keepers/${kept}/merge?with=${gone}`;
      const page = await visitor.get(path);
      const fields = { ...hiddenInputs(page.html), "_of.name": "gone" };
      const begun = performance.now();
      const merge = () => visitor.post(path, fields);
      const answered =
        round === 0
          ? (await merge()).status === 200
          : await killedAfter((takes * round) / 4, merge);
      if (round === 0) takes = performance.now() - begun;
      const state = async () => ({
        keepers: await rows(
          `select id, name from keeper where id in (${kept}, ${gone}) order by id`,
        ),
        keepersOfVisits: (
          await rows(`select keeper_id from visit where keeper_id in (${kept}, ${gone})`)
        ).map((visit) => visit.keeper_id),
        log: await rows(
          `select action from levadura_change where entity_table = 'keeper' and record_id = ${gone} and action = 'delete'`,
        ),
      });
      const merged = {
        keepers: [{ id: Number(kept), name: `Ben ${round}` }],
        keepersOfVisits: Array(visits).fill(Number(kept)),
        log: [{ action: "delete" }],
      };
      const found = await state();
      outcomes.add(found.keepers.length === 1 ? "merged" : "nothing");
      if (answered || found.keepers.length === 1) expect([round, found]).toEqual([round, merged]);
      else
        expect([round, found]).toEqual([
          round,
          {
            keepers: [
              { id: Number(kept), name: `Ana ${round}` },
              { id: Number(gone), name: `Ben ${round}` },
            ],
            keepersOfVisits: Array(visits).fill(Number(gone)),
            log: [],
          },
        ]);
      expect((await merge()).status).toBe(200);
      expect([round, await state()]).toEqual([round, merged]);
    }
    expect(outcomes.size).toBe(2);
  }, 240_000);

  it("has saved a record with its picture or not at all, and counts what is left over", async () => {
    const pixels = {
      width: 1500,
      height: 1000,
      channels: 3,
      noise: { type: "gaussian", mean: 128, sigma: 30 },
    };
    const picture = await sharp({ create: { ...pixels, background: "#000" } as never })
      .jpeg()
      .toBuffer();
    const held = new Set<string>();
    let takes = 0;
    for (let round = 0; round < 5; round++) {
      const { html } = await visitor.get("/keepers/new");
      const badge = new File([new Uint8Array(picture)], "badge.jpg", { type: "image/jpeg" });
      const fields = { ...hiddenInputs(html), name: `Cleo ${round}`, badge };
      const send = () => visitor.upload("/keepers/new", fields);
      const begun = performance.now();
      if (round === 0) expect((await send()).status).toBe(200);
      else await killedAfter((takes * round) / 4, send);
      if (round === 0) takes = performance.now() - begun;
      const [row] = await rows(`select id, badge from keeper where name = 'Cleo ${round}'`);
      if (!row) continue;
      const [file] = JSON.parse(String(row.badge));
      const page = await visitor.bytes(`/keepers/${row.id}/files/badge/${file.key}`);
      expect([page.status, page.content.equals(picture)]).toEqual([200, true]);
      held.add(file.key);
    }
    expect(held.size).toBeGreaterThan(0);
    // What is left of the others is told apart from what is in use, once it is old.
    const store = join(project.folder, "files");
    const stored = () =>
      readdirSync(store, { recursive: true, encoding: "utf8" })
        .map((path) => join(store, path))
        .filter((path) => statSync(path).isFile());
    for (const path of stored()) utimesSync(path, new Date(0), new Date(0));
    const removed = await levadura(["files", "--remove-unused", "--yes"], project.folder);
    expect([removed.status, removed.err]).toEqual([0, ""]);
    for (const { file_key: key } of await rows("select file_key from levadura_upload"))
      held.add(String(key));
    expect(new Set(stored().map((path) => basename(path).slice(0, 32)))).toEqual(held);
    expect(stored().filter((path) => path.endsWith(".part"))).toEqual([]);
  }, 120_000);
});
