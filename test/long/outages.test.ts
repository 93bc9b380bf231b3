import { join } from "node:path";
import { sql } from "kysely";
import Driver from "libsql";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { dialect as onMariadb } from "../../kit/database/mariadb/dialect.ts";
import { dialect as onPostgres } from "../../kit/database/postgres/dialect.ts";
import { type FaultyWire, faultyWireTo } from "../support/faulty-wire.ts";
import { kinds, projectOn, type TestProject } from "../support/kinds.ts";
import { levadura, type Running, running } from "../support/program.ts";
import { hiddenInputs, inputValue, textOf, Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text, required, unique
      keepers: many Keeper
  Keeper: {title: "{name}", fields: {name: "text, required", weight: decimal}}
`;

/** Short, so that tests don't wait for long. */
const limits = { DATABASE_WAIT_SECONDS: "1", DATABASE_STATEMENT_SECONDS: "1" };

describe.each(kinds)("an application over $kind", ({ kind, server: database }) => {
  let project: TestProject;
  let server: Running;
  let visitor: Visitor;
  let proxy: FaultyWire | undefined;
  beforeAll(async () => {
    project = projectOn({ kind, server: database }, model);
    for (const command of ["prepare", "migrate", "build"]) {
      expect(await levadura([command], project.folder)).toMatchObject({ status: 0 });
    }
    const url = new URL(project.url);
    if (database) {
      proxy = await faultyWireTo(Number(url.port));
      url.port = String(proxy.port);
    }
    const address: Record<string, string> = database ? { DATABASE_URL: url.href } : {};
    server = await running(["serve"], project.folder, { ...limits, ...address });
    visitor = new Visitor(server.address);
    for (const name of ["Ana", "Bo"]) await visitor.submit("/keepers/new", { name });
  });
  afterAll(async () => {
    expect(await server.stop()).toBe(0);
    await proxy?.close();
    await project.remove();
  });

  const count = async (code: string) =>
    (await project.rows(`select id from hive where code = '${code}'`)).length;

  /** A form for a new hive, and what sends it. */
  const form = async (code: string) => {
    const sent = { ...hiddenInputs((await visitor.get("/hives/new")).html), code };
    return () => new Visitor(server.address).post("/hives/new", sent);
  };

  it("takes many new records with links at once, and tries again what met", async () => {
    const people = Array.from({ length: 10 }, () => new Visitor(server.address));
    const told = await Promise.all(
      people.map(async (person, at) => {
        const statuses: number[] = [];
        for (let round = 0; round < 6; round++) {
          const fields = { code: `M-${at}-${round}`, keepers: ["1", "2"] };
          statuses.push((await person.submit("/hives/new", fields)).status);
        }
        return statuses;
      }),
    );
    expect(new Set(told.flat())).toEqual(new Set([200]));
    expect(await project.rows("select 1 as one from hive where code <> ''")).toHaveLength(60);
  });

  it.runIf(database)("runs a statement on its own again that met a transaction", async () => {
    const dialect = kind === "postgres" ? onPostgres : onMariadb;
    const db = dialect.openTables<{ met: { id: number; count: number } }>(project.url);
    await sql`create table met (id int primary key, count int not null)`.execute(db);
    const rows = Array.from({ length: 50 }, (_, at) => ({ id: at + 1, count: 0 }));
    await db.insertInto("met").values(rows).execute();
    const add = (from: number) =>
      db
        .updateTable("met")
        .set({ count: sql`${sql.ref("count")} + 1` })
        .where("id", ">=", from);
    // The transaction holds all but the first; the statement holds the first, and waits: a deadlock, in which the one that wrote less is undone.
    let alone: Promise<unknown> = Promise.resolve();
    await db.transaction().execute(async (transaction) => {
      await transaction.executeQuery(add(2));
      alone = add(1).execute();
      await new Promise((resolve) => setTimeout(resolve, 300));
      await transaction.executeQuery(add(1));
    });
    await alone;
    const found = await db.selectFrom("met").select("count").orderBy("id").execute();
    await sql`drop table met`.execute(db);
    await db.destroy();
    const [first, ...others] = found.map(({ count }) => count);
    expect([first, new Set(others)]).toEqual([2, new Set([3])]);
  });

  it.runIf(kind === "sqlite")("goes on reading while another process writes", async () => {
    const driver = new Driver(join(project.folder, "records.db"));
    driver.exec("begin immediate");
    const send = await form("Busy");
    const order: string[] = [];
    const saving = send().then((answer) => {
      order.push("saved");
      return answer;
    });
    for (let page = 0; page < 5; page++) {
      expect((await visitor.get("/hives")).status).toBe(200);
      order.push("read");
    }
    const busy = await saving;
    expect(order.indexOf("saved")).toBe(5);
    expect([busy.status, textOf(busy.html)]).toEqual([
      503,
      expect.stringContaining("Not saved. Others were saving for too long."),
    ]);
    expect(inputValue(busy.html, "code")).toBe("Busy");
    // Who waits for a short time only is served.
    const patient = send();
    setTimeout(() => {
      driver.exec("rollback");
      driver.close();
    }, 300);
    expect((await patient).status).toBe(200);
    expect(await count("Busy")).toBe(1);
  });

  it.runIf(database)("outlives connections that are lost, idle and in use", async () => {
    proxy?.cut();
    expect((await visitor.get("/hives")).status).toBe(200);
    const reading = Promise.all(
      Array.from({ length: 20 }, () => new Visitor(server.address).get("/hives")),
    );
    setTimeout(() => proxy?.cut(), 5);
    for (const { status } of await reading) expect([200, 503]).toContain(status);
    expect((await visitor.get("/hives")).status).toBe(200);
    // Lost before anything was to be kept: done again.
    proxy?.cutAt("insert into", false);
    setTimeout(() => proxy?.cutAt(undefined), 60);
    const saved = await (await form("Lost early"))();
    expect(saved.status).toBe(200);
    expect(await count("Lost early")).toBe(1);
  });

  it.runIf(database)("finds out what became of a change whose answer was lost", async () => {
    const kept = await form("Kept");
    proxy?.cutAt("commit", true);
    const answer = await kept();
    expect([answer.status, textOf(answer.html)]).toEqual([
      200,
      expect.stringContaining("Hive saved: Kept"),
    ]);
    expect(await count("Kept")).toBe(1);
    const again = await form("Once more");
    proxy?.cutAt("commit", false, "once");
    expect((await again()).status).toBe(200);
    expect(await count("Once more")).toBe(1);
    const unkept = await form("Unkept");
    proxy?.cutAt("commit", false);
    const unknown = await unkept();
    proxy?.cutAt(undefined);
    expect([unknown.status, textOf(unknown.html)]).toEqual([
      500,
      expect.stringContaining("it is not known whether your change was saved"),
    ]);
    // The same form again is saved once, whatever became of it before.
    expect((await unkept()).status).toBe(200);
    expect(await count("Unkept")).toBe(1);
  });

  it.runIf(database)(
    "says so when the database doesn't answer, and goes on when it does",
    async () => {
      const send = await form("Silent");
      proxy?.silence(true);
      const begun = Date.now();
      const [page, saving] = await Promise.all([visitor.get("/hives"), send()]);
      expect(Date.now() - begun).toBeLessThan(20_000);
      expect([page.status, textOf(page.html)]).toEqual([
        503,
        expect.stringContaining("This page can’t be shown now."),
      ]);
      expect(saving.status).toBe(503);
      proxy?.silence(false);
      proxy?.cut();
      expect((await visitor.get("/hives")).status).toBe(200);
      expect((await send()).status).toBe(200);
      expect(await count("Silent")).toBe(1);
    },
  );

  it("writes nothing of the records into its log", () => {
    expect(server.said()).not.toMatch(/Busy|Silent|Unkept|Lost early|M-\d/);
  });
});
